// What one sees of a body as text for the address, and back: camera, quantity, range, planes, lines, parts.
const FIELDS = ["quantity", "low", "high", "rake-kind", "rake-count", "rake-x", "rake-y", "rake-z",
  "rake-size", "iso", "iso-value", "rake-by", "iso-by", "arrows"];
export const OF_PLANE = ["q", "normal", "at", "turn", "tilt", "reach"], PRESSED = ["vectors", "open"];
const WAIT = 250;
const short = (v) => Number(v.toPrecision(5));
const of = (id) => document.getElementById(id);
const on = (button) => button.getAttribute("aria-pressed") === "true";

// Everything now. planes: list of { node }; view: the camera's.
export function state(view, planes) {
  const part = (plane, name) => plane.node.querySelector(`[data-p="${name}"]`);
  return {
    view: [...view.target, ...view.direction, view.distance].map(short),
    fields: FIELDS.filter((id) => of(id)).map((id) => of(id).value),
    on: [...document.querySelectorAll("[data-toggle]")].filter(on).map((button) => button.dataset.toggle),
    planes: planes.map((plane) => [...OF_PLANE.map((name) => part(plane, name).value),
      ...PRESSED.map((name) => Number(on(part(plane, name))))]),
    parts: Object.fromEntries([...of("parts").children].map((row) => [row.firstChild.textContent,
      Number(row.lastChild.value)]).filter(([, opacity]) => opacity !== 1)),
  };
}

// What the address says, or null where it says nothing that can be read.
export function fromAddress() {
  try {
    const found = JSON.parse(new URLSearchParams(location.search).get("look"));
    const sound = found.view.length === 7 && found.view.every(Number.isFinite) && found.view[6] > 0 &&
      Array.isArray(found.fields) && Array.isArray(found.on) && Array.isArray(found.planes);
    return sound ? found : null;
  } catch { return null; }
}

// Put values and buttons as they were; what they mean is drawn by whoever asks.
export function restore(found) {
  FIELDS.filter((id) => of(id)).slice(0, found.fields.length).forEach((id, k) => {
    const field = of(id), value = String(found.fields[k] ?? "");
    if (field.tagName !== "SELECT" || [...field.options].some((o) => o.value === value)) field.value = value;
  });
  for (const button of document.querySelectorAll("[data-toggle]")) {
    const pressed = found.on.includes(button.dataset.toggle);
    button.setAttribute("aria-pressed", String(pressed));
    button.classList.toggle("on", pressed);
  }
  for (const row of of("parts").children) {
    const opacity = found.parts?.[row.firstChild.textContent];
    if (opacity === undefined) continue;
    row.lastChild.value = opacity;
    row.lastChild.dispatchEvent(new Event("input"));
  }
}

// Writes the address a moment after the last change.
let timer = 0;
export function remember(now) {
  clearTimeout(timer);
  timer = setTimeout(() => {
    const address = new URLSearchParams(location.search);
    address.set("look", JSON.stringify(now()));
    history.replaceState(null, "", `?${address}`);
  }, WAIT);
}
