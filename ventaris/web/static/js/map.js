// Polars and operating maps: charts of the same points; a point opens its run.
import { axis, layout, OPTIONS, PENS } from "./charts.js";

const root = document.getElementById("map"), across = document.getElementById("across");
across.addEventListener("change", () => { location.search = `?across=${across.value}`; });

function trace(line, number, chart) {
  const pen = PENS[number % PENS.length];
  const bars = (name) => line.rows.some((r) => r[name]) ? { type: "data", array: line.rows.map((r) =>
    r[name] ?? 0), thickness: 1, width: 3, color: pen } : undefined;
  return { x: line.rows.map((r) => r[chart.x]), y: line.rows.map((r) => r[chart.y]), name: line.variant, mode:
    "lines+markers", customdata: line.rows.map((r) => r.run),
    line: { color: pen, width: 1.6 }, error_x: bars(`${chart.x}_error`), error_y: bars(`${chart.y}_error`),
    marker: { size: 7, color: pen, symbol: line.rows.map((r) => r.settled ? "circle" : "circle-open") } };
}

// Theory beside what was computed, where there is any.
function theory(line, number, chart) {
  const name = `${chart.y}_theory`, rows = line.rows.filter((r) => Number.isFinite(r[name]));
  return rows.length ? [{ x: rows.map((r) => r.x), y: rows.map((r) => r[name]), name:
    `${line.variant}, theory`, mode: "lines", line: { color: PENS[number % PENS.length], width: 1.1, dash:
    "dot" }, showlegend: false }] : [];
}

if (root) {
  const data =
    await (await fetch(`/campaigns/${root.dataset.campaign}/map.json?across=${across.value}`)).json();
  const lines = data.lines.filter((line) => line.rows.length);
  for (const chart of data.charts) {
    const element = document.getElementById(`chart-${chart.key}`);
    const traces = lines.flatMap((line, n) => [trace(line, n, chart), ...theory(line, n, chart)]);
    await window.Plotly.react(element, traces, layout(axis(chart.x_title), axis(chart.y_title)), OPTIONS);
    element.on("plotly_click", (event) => { if (event.points[0].customdata) location.href =
      `/runs/${event.points[0].customdata}`; });
  }
  root.dataset.ready = "1";
}
