// The scale under a picture: its colours with values between the ends, on the page and in exports.
export function format(x, digits = 4) {
  if (!Number.isFinite(x)) return "–";
  if (x !== 0 && (Math.abs(x) < 1e-3 || Math.abs(x) >= 1e6)) return x.toExponential(2).replace("-", "−");
  return Number(x.toPrecision(digits)).toString().replace("-", "−");
}

// The number that somebody typed, NaN where it is none; and several, or null where they are not so many.
export function numberIn(text) { return parseFloat(text.replace("−", "-")); }

export function numbersIn(text, count) {
  const numbers = text.replaceAll("−", "-").split(/[\s,;]+/).filter(Boolean).map(Number);
  return numbers.length === count && numbers.every(Number.isFinite) ? numbers : null;
}

// Round values between two ends, three to five of them.
export function ticks(low, high) {
  const rough = (high - low) / 5, power = 10 ** Math.floor(Math.log10(rough));
  const step = [1, 2, 2.5, 5, 10].map((k) => k * power).find((s) => s >= rough * 0.999);
  const out = [];
  if (!(step > 0) || !Number.isFinite(step)) return out;
  for (let k = Math.ceil(low / step - 1e-9); k * step <= high + 1e-9 * (high - low);
    k++) out.push(Number((k * step).toPrecision(12)));
  return out;
}

// The colour at a share of the scale, as a CSS colour.
export function shade(share, bytes, bands) {
  const s = bands ? (Math.floor(Math.min(share, 0.9999) * bands) + 0.5) / bands : share, k =
    3 * Math.round(s * 255);
  return `rgb(${bytes[k]},${bytes[k + 1]},${bytes[k + 2]})`;
}

// Colours of values between two ends, three numbers from 0 to 1 each.
export function coloursOf(values, [low, high], bytes) {
  const out = new Float32Array(3 * values.length), span = high - low || 1;
  values.forEach((v, k) => {
    const c = 3 * Math.round(Math.min(Math.max((v - low) / span, 0), 1) * 255);
    for (let a = 0; a < 3; a++) out[3 * k + a] = bytes[c + a] / 255;
  });
  return out;
}

// Draw bar and values with a 2-D pen; the bar's left upper corner is at x, y.
export function paint(pen, x, y, width, height, scale, size = 11) {
  for (let k = 0; k < width; k++) {
    pen.fillStyle = shade(k / (width - 1), scale.bytes, scale.bands);
    pen.fillRect(x + k, y, 1, height);
  }
  pen.fillStyle = "#1B2A2F";
  pen.font = `${size}px "IBM Plex Mono", monospace`;
  pen.textAlign = "center";
  pen.textBaseline = "top";
  let right = -Infinity;
  for (const value of ticks(scale.low, scale.high)) {
    const at = x + width * (value - scale.low) / (scale.high - scale.low), words = format(value, 3), half =
      0.5 * pen.measureText(words).width;
    pen.fillRect(at - 0.5, y + height, 1, 3);
    if (at - half < right + 4) continue;
    pen.fillText(words, at, y + height + 4);
    right = at + half;
  }
}

// A scale as an element: what it shows, its ends, its colours with values under them, and a remark.
export function scaleRow(row, what, scale, remark) {
  row.innerHTML =
    '<span class="what"></span><span class="num lo"></span>'
      + '<canvas width="300" height="32"></canvas>'
      + '<span class="num hi"></span><span class="unit rest"></span>';
  row.querySelector(".what").textContent = what;
  row.querySelector(".lo").textContent = format(scale.low);
  row.querySelector(".hi").textContent = format(scale.high);
  row.querySelector(".rest").textContent = remark;
  row.querySelector("canvas").setAttribute("aria-label",
    `Scale from ${format(scale.low)} to ${format(scale.high)}`);
  paint(row.querySelector("canvas").getContext("2d"), 20, 1, 260, 12, scale);
}
