// Polars and operating maps: charts of the same points; a point opens its run.
import { axis, INK, layout, OPTIONS, PENS, uncertainty } from "./charts.js";

const root = document.getElementById("map"), across = document.getElementById("across");
across.addEventListener("change", () => { location.search = `?across=${across.value}`; });

function trace(line, rows, number, chart, more) {
  const pen = PENS[number % PENS.length];
  const bars = (name) => rows.some((r) => r[name]) ? { type: "data", array: rows.map((r) =>
    r[name] ?? 0), thickness: 1, width: 3, color: pen } : undefined;
  return { x: rows.map((r) => r[chart.x]), y: rows.map((r) => r[chart.y]), name: line.variant, mode:
    "lines+markers", customdata: rows.map((r) => r.run),
    line: { color: pen, width: 1.6 }, error_x: bars(`${chart.x}_error`), error_y: bars(`${chart.y}_error`),
    marker: { size: 7, color: pen, symbol: rows.map((r) => r.settled && !r.fallen ? "circle" :
      "circle-open") }, legendgroup: line.variant, ...more };
}

// What a row computes beyond its stall belongs to no line.
function traces_of(line, number, chart) {
  const fallen = line.rows.filter((r) => r.fallen);
  return [trace(line, line.rows.filter((r) => !r.fallen), number, chart, {}),
    ...(fallen.length ? [trace(line, fallen, number, chart, { mode: "markers", showlegend: false })] : [])];
}

// Theory beside what was computed, where there is any.
function theory(line, number, chart) {
  const name = `${chart.y}_theory`, rows = line.rows.filter((r) => Number.isFinite(r[name]));
  return rows.length ? [{ x: rows.map((r) => r.x), y: rows.map((r) => r[name]), name:
    `${line.variant}, theory`, mode: "lines", line: { color: PENS[number % PENS.length], width: 1.1, dash:
    "dot" }, showlegend: false }] : [];
}

// Lines of equal efficiency in the chart of the pressure ratio, each with its number.
function contours(data, chart) {
  if (chart.y !== "pressure_ratio") return [];
  return data.contours.map((one, n) => {
    // Numbers of neighbouring levels stand beside each other.
    const at = Math.floor(one.x.length * (0.2 + 0.3 * (n % 3)));
    const words = one.level.toFixed(3).replace(/0$/, "");
    return { x: one.x, y: one.y, mode: "lines+text", text: one.x.map((_, k) => k === at ? words : ""),
      textfont: { size: 10, color: "#6b706c" }, textposition: "top center",
      line: { color: "#a9aca3", width: 1 }, hoverinfo: "text",
      hovertext: `efficiency ${words}, ${one.variant}`, showlegend: false };
  });
}

// Measured values with their uncertainties.
function laidOver(data, chart) {
  return data.measured.filter((one) => one.chart === chart.key).map((one, n) => ({ x: one.x, y: one.y,
    name: one.name, mode: "markers", marker: { symbol: ["square-open", "diamond-open",
    "triangle-up-open"][n % 3], size: 8, color: INK, line: { width: 1.3 } },
    error_y: uncertainty(one.error) }));
}

if (root) {
  const data =
    await (await fetch(`/campaigns/${root.dataset.campaign}/map.json?across=${across.value}`)).json();
  const lines = data.lines.filter((line) => line.rows.length);
  for (const chart of data.charts) {
    const element = document.getElementById(`chart-${chart.key}`);
    const traces = [...contours(data, chart), ...lines.flatMap((line, n) => [...traces_of(line, n, chart),
      ...theory(line, n, chart)]), ...laidOver(data, chart)];
    await window.Plotly.react(element, traces, layout(axis(chart.x_title), axis(chart.y_title)), OPTIONS);
    element.on("plotly_click", (event) => { if (event.points[0].customdata) location.href =
      `/runs/${event.points[0].customdata}`; });
  }
  root.dataset.ready = "1";
}
