// Charts in the house style.
export const INK = "#1B2A2F", LINES = "#D5D0C4", PAPER = "#F7F5F0", SHEET = "#FFFEFB", PALE = "#5B676B";
export const PENS = ["#0E4B45", "#C77700", "#5A4B8A", "#A63D2F", "#2F6B9A", "#6B6B1F", "#8A3F6B", "#3F7F86"];
const FONT = { family: "IBM Plex Sans, sans-serif", size: 12, color: INK };

export function axis(title, more = {}) {
  return { ...(title && { title: { text: title, font: { family: "Barlow, sans-serif", size: 13 }, standoff:
    8 } }), gridcolor: "#EBE7DC", linecolor: INK, zeroline: false, showline: true,
    ticks: "outside", ticklen: 4, tickcolor: INK, tickfont: { family: "IBM Plex Mono, monospace", size: 11 },
      automargin: true, ...more };
}

export function layout(x, y, more = {}) {
  return { paper_bgcolor: SHEET, plot_bgcolor: SHEET, font: FONT, margin: { l: 62, r: 18, t: 14, b: 44 },
    xaxis: x, yaxis: y, hovermode: "closest",
    legend: { orientation: "h", x: 0, y: 1.02, yanchor: "bottom", font: { size: 11 } }, hoverlabel: { font: {
      family: "IBM Plex Mono, monospace", size: 11 } }, ...more };
}

export const OPTIONS = { displayModeBar: false, responsive: true, doubleClick: "reset" };

// Bars of measured values; nothing where their uncertainty is not known.
export function uncertainty(error) {
  return error ? { type: "data", array: error.map((e) => e ?? 0), thickness: 1, width: 3, color: INK } :
    undefined;
}

// Traces of the curves page's JSON.
export function tracesOf(data) {
  const traces = data.traces.map((t, n) => {
    const pen = PENS[(t.group ?? n) % PENS.length];
    if (t.measured) return { x: t.x, y: t.y, name: t.name, mode: "markers", marker: { symbol: ["circle-open",
      "square-open", "diamond-open", "triangle-up-open"][n % 4], size: 7, color: INK, line: { width:
      1.4 } }, error_y: uncertainty(t.error) };
    if (t.theory) return { x: t.x, y: t.y, name: t.name, mode: "lines", line: { color: pen, width: 1.2, dash:
      "dot" } };
    if (t.loop) {
      // Arrow heads tell which way round the loop goes.
      const size = t.x.map((_, k) => (k % Math.ceil(t.x.length / 8) === 1 ? 11 : 0));
      return { x: t.x, y: t.y, name: t.name, mode: "lines+markers", line: { color: pen, width: 1.8, backoff:
        0 }, marker: { opacity: 1,
        symbol: "arrow", angleref: "previous", size, color: pen, line: { width: 0 } } };
    }
    return { x: t.x, y: t.y, name: t.name, mode: "lines", line: { color: pen, width: 1.8, dash:
      t.surface === "lower" ? "dash" : "solid" } };
  });
  for (const line of data.lines) {
    const x = [0, 1];
    traces.push({ x, y: [line.value, line.value], name: line.name, mode: "lines", line: { color: PALE, width:
      1, dash: "dot" }, hoverinfo: "name+y" });
  }
  return traces;
}

export function draw(element, data) {
  const y = axis(data.label, { autorange: data.reverse ? "reversed" : true, type: data.log ? "log" : "linear",
    exponentformat: "e" });
  window.Plotly.react(element, tracesOf(data), layout(axis(data.x), y, { showlegend: true }), OPTIONS);
}

// A field along a line: distances s in a unit of length, its values and what it is.
export function drawAlong(element, s, values, q, length) {
  window.Plotly.react(element, [{ x: s, y: values, mode: "lines", line: { color: PENS[0], width: 1.8 },
    connectgaps: false, name: q.label }], layout(axis(`along the line, ${length}`), axis(q.unit ?
    `${q.label}, ${q.unit}` : q.label), { showlegend: false }), OPTIONS);
}
