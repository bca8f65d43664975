// Polars: four charts of the same points; a point opens its run.
import { axis, layout, OPTIONS, PENS } from "./charts.js";

const root = document.getElementById("map"), across = document.getElementById("across");
across.addEventListener("change", () => { location.search = `?across=${across.value}`; });

function trace(line, number, x, y, xError, yError) {
  const bars = (name) => name ? { type: "data", array: line.rows.map((r) => r[name] ?? 0), thickness: 1, width: 3, color: PENS[number % PENS.length] } : undefined;
  return { x: line.rows.map((r) => r[x]), y: line.rows.map((r) => r[y]), name: line.variant, mode: "lines+markers", customdata: line.rows.map((r) => r.run),
    line: { color: PENS[number % PENS.length], width: 1.6 }, error_x: bars(xError), error_y: bars(yError),
    marker: { size: 7, color: PENS[number % PENS.length], symbol: line.rows.map((r) => r.settled ? "circle" : "circle-open") } };
}

if (root) {
  const data = await (await fetch(`/campaigns/${root.dataset.campaign}/map.json?across=${across.value}`)).json();
  const lines = data.lines.filter((line) => line.rows.length);
  const charts = { lift: ["x", "lift", data.label, "CL", null, "lift_error"], polar: ["drag", "lift", "CD", "CL", "drag_error", "lift_error"],
    moment: ["x", "moment", data.label, "CM", null, "moment_error"], drag: ["x", "drag", data.label, "CD", null, "drag_error"] };
  for (const [key, [x, y, xTitle, yTitle, xError, yError]] of Object.entries(charts)) {
    const element = document.getElementById(`chart-${key}`);
    await window.Plotly.react(element, lines.map((line, n) => trace(line, n, x, y, xError, yError)), layout(axis(xTitle), axis(yTitle)), OPTIONS);
    element.on("plotly_click", (event) => { location.href = `/runs/${event.points[0].customdata}`; });
  }
  root.dataset.ready = "1";
}
