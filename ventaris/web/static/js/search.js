// The search screen: the objective run by run, and over every parameter.
import { axis, layout, OPTIONS, PENS, PALE } from "./charts.js";

const root = document.getElementById("search"), scatters = document.getElementById("scatters");
let drawn = -1;

function marks(points, x) {
  const kind = (p) => (!p.feasible ? "breaks a constraint" : p.proposed ? "proposed" : "plan");
  const looks = { plan: { symbol: "circle-open", color: PENS[0] }, proposed: { symbol: "circle", color:
    PENS[0] }, "breaks a constraint": { symbol: "x-thin", color: PALE } };
  const traces = Object.keys(looks).map((name) => {
    const mine = points.filter((p) => kind(p) === name);
    return { x: mine.map(x), y: mine.map((p) => p.objective), text: mine.map((p) => `run ${p.number}`), name,
      mode: "markers", hoverinfo: "x+y+text", marker: { ...looks[name], size: 8, line: { width: 1.5, color:
      looks[name].color } } };
  }).filter((t) => t.x.length);
  const best = points.filter((p) => p.best);
  traces.push({ x: best.map(x), y: best.map((p) => p.objective), name: "best", mode: "markers", marker: {
    symbol: "star", size: 14, color: PENS[1] } });
  return traces;
}

async function draw() {
  const data = await (await fetch(`/searches/${root.dataset.search}.json`)).json();
  if (data.points.length === drawn) return;
  drawn = data.points.length;
  const sign = data.sense === "largest" ? 1 : -1, steps = [];
  let so_far = null;
  for (const p of data.points) { if (p.feasible && (so_far === null ||
    sign * p.objective > sign * so_far)) so_far = p.objective; steps.push({ x: p.number, y: so_far }); }
  const line = { x: steps.map((s) => s.x), y: steps.map((s) => s.y), name: "best so far", mode: "lines", line:
    { shape: "hv", color: PENS[1], width: 1.5 } };
  window.Plotly.react("chart-history", [line, ...marks(data.points, (p) => p.number)], layout(axis("run"),
    axis(data.objective), { margin: { l: 62, r: 18, t: 30, b: 42 } }), OPTIONS);
  data.parameters.forEach((parameter, k) => {
    let holder = document.getElementById(`scatter-${k}`);
    if (!holder) {
      holder = document.createElement("div");
      holder.id = `scatter-${k}`;
      holder.className = "chart";
      holder.setAttribute("role", "img");
      holder.setAttribute("aria-label", `Objective over ${parameter.label}`);
      scatters.append(holder);
    }
    window.Plotly.react(holder, marks(data.points, (p) => p.values[k]), layout(axis(parameter.label +
      (parameter.unit ? `, ${parameter.unit}` : "")), axis(data.objective), { showlegend: false, margin: { l:
      62, r: 18, t: 10, b: 42 } }), OPTIONS);
  });
}

await draw();
setInterval(draw, 2000);
