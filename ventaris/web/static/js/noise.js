// The noise screen: signals and spectra follow the run.
import { axis, layout, OPTIONS, PALE, PENS } from "./charts.js";

const root = document.getElementById("noise");
const ENDED = ["settled", "stopped", "failed"];
let version = -1, state = "", chosen = "";
const text = (x, digits) => (Number.isFinite(x) ? x.toFixed(digits).replace("-", "−") : "–");

function fill(microphone) {
  const row = [...root.querySelectorAll("[data-mic]")].find((r) => r.dataset.mic === microphone.name), found =
    microphone.found;
  if (!row || !found) return;
  const set = (what, value) => { row.querySelector(`[data-of="${what}"]`).textContent = value; };
  set("level", text(found.level, 1));
  const [tone, ...others] = found.tones;
  if (!tone) return;
  set("tone", text(tone.frequency, 0));
  set("tone-level", text(tone.level, 1));
  set("prominence", text(tone.prominence, 0));
  set("harmonics", others.filter((t) => t.harmonic > 1).map((t) => text(t.frequency, 0)).join(", ") || "–");
}

async function draw() {
  const query = [...root.querySelectorAll("[data-table]:checked")].map((b) =>
    `table=${b.dataset.table}`).join("&");
  const data = await (await fetch(`/runs/${root.dataset.run}/noise.json?${query}`)).json();
  state = data.state;
  if (data.version === version && query === chosen) return;
  [version, chosen] = [data.version, query];
  data.microphones.forEach(fill);
  const pen = (k) => ({ color: PENS[k % PENS.length], width: 1.4 });
  const spectra = data.microphones.map((m, k) => ({ x: m.f, y: m.density, name: m.name + (m.early ?
    " (start-up)" : ""), mode: "lines", line: pen(k) }));
  for (const t of data.measured || []) {
    const [x, ...ys] = Object.entries(t.columns);
    ys.forEach(([label, y]) => spectra.push({ x: x[1], y, name: `${t.name}: ${label}`, mode: "markers",
      marker: { symbol: "circle-open", size: 6, color: "#1B2A2F" } }));
  }
  const shapes = data.formula ? [{ type: "line", x0: data.formula, x1: data.formula, yref: "paper", y0: 0, y1:
    1, line: { color: PALE, width: 1.2, dash: "dash" } }] : [];
  const notes = data.formula ? [{ x: Math.log10(data.formula), xanchor: "left", yref: "paper", y: 1, yanchor:
    "top", text: " formula", showarrow: false, font: { size: 11, color: PALE } }] : [];
  window.Plotly.react("chart-spectrum", spectra, layout(axis("frequency, Hz", { type: "log", exponentformat:
    "none" }), axis("dB per Hz"), { shapes, annotations: notes, showlegend: true, margin: { l: 62, r: 18, t:
    34, b: 44 } }), OPTIONS);
  const signals = data.microphones.map((m, k) => ({ x: m.t.map((v) => 1e3 * v), y: m.p, name: m.name, mode:
    "lines", line: { ...pen(k), width: 0.9 } }));
  const start = { type: "rect", x0: 0, x1: 1e3 * data.discard, yref: "paper", y0: 0, y1: 1, fillcolor:
    "#E9E4D6", opacity: 0.6, line: { width: 0 }, layer: "below" };
  window.Plotly.react("chart-signal", signals, layout(axis("time, ms"), axis("Pa above ambient"), { shapes:
    data.discard ? [start] : [], annotations: [{ x: 0, xanchor: "left", yref: "paper", y: 1, yanchor: "top",
    text: " start-up, left out", showarrow: false, font: { size: 11, color: PALE } }], showlegend: false,
    margin: { l: 70, r: 18, t: 10, b: 44 } }), OPTIONS);
  const tone = data.microphones[0]?.found?.tones[0];
  if (tone && data.formula) document.getElementById("compared").textContent =
    `The formula of shock cells and convected waves gives ${text(data.formula, 0)} Hz `
      + "(f = u_c / (L (1 + u_c/a)) with u_c = 0.7 u_j and L = 1.306 √(Mj² − 1) D_j); the tone lies "
      + `${text(100 * (tone.frequency / data.formula - 1), 1)} % off it.`;
  far = data.far;
  drawFar();
  // The page was made before the run ended: what it found then stands on a fresh one.
  if (far && !document.getElementById("far")) { location.reload(); return; }
  root.dataset.ready = "1";
}

// The far field: levels fall with the distance by 20 dB a decade.
let far = null;
function drawFar() {
  const field = document.getElementById("far-distance");
  if (!far || !field) return;
  const distance = parseFloat(field.value.replace(",", ".")), good = Number.isFinite(distance) &&
    distance > 0;
  field.classList.toggle("is-invalid", !good);
  if (!good) return;
  const shift = -20 * Math.log10(distance / Number(field.dataset.of)), [low, high] = far.valid_angles;
  const curve = (levels, name, k) => ({ x: far.angles, y: levels.map((v) => v + shift), name, mode: "lines",
    line: { color: PENS[k], width: 1.6 } });
  const shade = (x0, x1) => ({ type: "rect", x0, x1, yref: "paper", y0: 0, y1: 1, fillcolor: "#E9E4D6",
    opacity: 0.7, line: { width: 0 }, layer: "below" });
  window.Plotly.react("chart-far", [curve(far.levels, "all it carries", 0), curve(far.loudest_levels,
    `at ${text(far.loudest, 0)} Hz`, 1)],
    layout(axis("angle from downstream, °", { range: [20, 160], dtick: 20 }), axis("dB"), { shapes: [shade(20,
      low), shade(high, 160)], showlegend: true, margin: { l: 56, r: 18, t: 30, b: 44 } }), OPTIONS);
}
document.getElementById("far-distance")?.addEventListener("input", drawFar);

root.addEventListener("change", draw);
await draw();
setInterval(() => { if (!ENDED.includes(state)) draw(); }, 1500);
