// The run page: strip charts and the live picture follow the run; the panel refreshes itself.
import { axis, layout, OPTIONS, PENS } from "./charts.js";
import { BodyCanvas, fetchArrays } from "./body_canvas.js";
import { FlowCanvas } from "./viewer.js";

const root = document.getElementById("run");
const id = root.dataset.run;
const live = document.getElementById("live");
let last = 0, version = 0, view = null, busy = false, state = root.dataset.state, words = {};
const history = [];
const ENDED = ["settled", "stopped", "failed"];

// A thin line wherever the climb reaches the next level; a name that would run into the one before it stands
// a line lower.
const NAME_WIDTH = 0.13, LINE = 0.1;
function levels() {
  const shapes = [], notes = [], span = Math.max(history.length - 1, 1);
  let row = 0, end = 0;
  history.forEach((h, k) => {
    if (k && h.level === history[k - 1].level) return;
    if (k) shapes.push({ type: "line", x0: h.step - 0.5, x1: h.step - 0.5, yref: "paper", y0: 0, y1: 1, line:
      { color: "#B9B3A4", width: 1, dash: "dot" } });
    row = k / span < end ? row + 1 : 0;
    end = k / span + NAME_WIDTH;
    const late = k / span > 1 - NAME_WIDTH;
    notes.push({ x: h.step - 0.4, xanchor: late ? "right" : "left", yref: "paper", y: 0.99 - LINE * row,
      yanchor: "top", text: h.level, showarrow: false, font: { size: 11, color: "#5B676B" } });
  });
  return { shapes, annotations: notes };
}

function drawCharts() {
  const x = history.map((h) => h.step);
  const tail = (name) => {
    // The first steps swing wildly; the chart is about where the values settle.
    const values = history.slice(Math.min(10, Math.floor(history.length / 4))).map((h) =>
      h[name]).filter((v) => v !== null && v !== undefined).sort((a, b) => a - b);
    if (!values.length) return undefined;
    const low = values[Math.floor(values.length * 0.04)], high = values[Math.ceil(values.length * 0.96) - 1],
      pad = Math.max(0.25 * (high - low), 1e-5 + 0.02 * Math.abs(high));
    return [low - pad, high + pad];
  };
  const narrow = { margin: { l: 62, r: 62, t: 26, b: 24 }, legend: { orientation: "h", x: 1, xanchor: "right",
    y: 1.02, yanchor: "bottom", font: { size: 11 } } };
  // What is watched of sections and bodies is lift and drag; of nozzles thrust and mass flow.
  const watched = { nozzle: [["thrust", "mass_flow"], ["thrust, N", "kg/s"]],
    row: history.some((h) => h.mass_flow !== undefined) ? [["pressure_ratio", "mass_flow"], ["pressure ratio",
      "kg/s"]] :
      [["thrust", "torque"], ["thrust, N", "torque, N m"]] };
  const [[one, other], [first, second]] = watched[root.dataset.space] || [["lift", "drag"], ["CL", "CD"]];
  if (root.dataset.space === "noise") { drawSignals(narrow); return; }
  const lift = { x, y: history.map((h) => h[one]), name: first, mode: "lines", line: { color: PENS[0], width:
    1.8 } };
  const drag = { x, y: history.map((h) => h[other]), name: second, mode: "lines", yaxis: "y2", line: { color:
    PENS[1], width: 1.8 } };
  window.Plotly.react("chart-forces", [lift, drag], layout(axis(""), axis(first, { range: tail(one) }),
    { ...narrow, ...levels(), yaxis2: axis(second, { overlaying: "y", side: "right", showgrid: false, range:
      tail(other) }) }), OPTIONS);
  drawOther(x, tail, narrow);
  const residual = { x, y: history.map((h) => Math.max(h.residual, 1e-16)), name: "residual", mode: "lines",
    line: { color: "#1B2A2F", width: 1.5 } };
  window.Plotly.react("chart-residual", [residual], layout(axis("step"), axis("residual", { type: "log",
    exponentformat: "e", nticks: 6 }),
    { ...narrow, shapes: levels().shapes, showlegend: false, margin: { l: 62, r: 62, t: 8, b: 40 } }),
      OPTIONS);
}

// A jet in time: the pressure at its microphones.
function drawSignals(narrow) {
  const names = Object.keys(history.at(-1) || {}).filter((n) => n.startsWith("p_")), t = history.map((h) =>
    1e3 * h.time);
  const traces = names.map((n, k) => ({ x: t, y: history.map((h) => h[n]), name: n.slice(2), mode: "lines",
    line: { color: PENS[k % PENS.length], width: 1 } }));
  window.Plotly.react("chart-forces", traces, layout(axis("time, ms"), axis("Pa above ambient"), { ...narrow,
    showlegend: true }), OPTIONS);
  document.getElementById("chart-residual").hidden = true;
}

// Formulas, elements, probes: whichever channel a person wants to watch.
const PLAIN = ["step", "level", "residual", "courant", "lift", "drag", "mass_flow", "thrust", "time"];
const chooser = document.getElementById("other-channel");
chooser.addEventListener("change", drawCharts);
function drawOther(x, tail, narrow) {
  const names = Object.keys(history.at(-1) || {}).filter((n) => !PLAIN.includes(n));
  if (!names.length) return;
  const formulas = (root.dataset.formulas || "").split(",").filter((n) => names.includes(n));
  if (chooser.options.length !== names.length) {
    const kept = chooser.value || formulas[0] || names[0];
    chooser.replaceChildren(...[...formulas, ...names.filter((n) => !formulas.includes(n))].map((n) =>
      new Option(words[n] || n, n)));
    chooser.value = kept;
  }
  document.getElementById("other-box").hidden = document.getElementById("chart-other").hidden = false;
  const name = chooser.value;
  const trace = { x, y: history.map((h) => h[name] ?? null), name, mode: "lines", line: { color: PENS[2],
    width: 1.6 } };
  window.Plotly.react("chart-other", [trace], layout(axis(""), axis("", { range: tail(name) }), { ...narrow,
    shapes: levels().shapes, showlegend: false, margin: { l: 62, r: 62, t: 8, b: 24 } }), OPTIONS);
}

async function showField() {
  if (root.dataset.space === "body") {
    if (!view) { live.replaceChildren(); view = new BodyCanvas(live, { legend:
      document.querySelector("[data-legend]") }); }
    await view.load(live.dataset.src);
    const plane =
      await fetchArrays(`/runs/${id}/plane.bin?normal=y&at=${view.middle[1]}&q=speed&columns=180`);
    await view.setPlane("plane-1", plane);
    return;
  }
  if (!view) { live.replaceChildren(); view = new FlowCanvas(live, { legend:
    document.querySelector("[data-legend]"), quantity: live.dataset.quantity }); view.set({ sonic: true }); }
  await view.load(live.dataset.src);
}

async function tick() {
  if (busy) return;
  busy = true;
  try {
    const answer = await (await fetch(`/runs/${id}/live?after=${last}`)).json();
    words = { ...words, ...answer.words };
    if (answer.history.length) { history.push(...answer.history); last = history.at(-1).step; drawCharts(); }
    if (answer.field !== version) { version = answer.field; await showField(); }
    state = answer.state;
  } catch { /* the server is away; the next tick tries again */ } finally { busy = false; }
}

await tick();
if (!history.length) drawCharts();
// A run that has ended may be run further from this page: keep looking, less often.
setInterval(() => { if (!ENDED.includes(state) || document.querySelector("#panel [hx-trigger]")) tick(); },
  500);
