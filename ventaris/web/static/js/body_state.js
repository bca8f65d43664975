// What one sees of a body as text for the address, and back: camera, quantity, range, planes, lines, parts.
const FIELDS = ["quantity", "low", "high", "rake-kind", "rake-count", "rake-x", "rake-y", "rake-z",
  "rake-size", "iso", "iso-value", "rake-by", "iso-by", "arrows", "line-width", "line-opacity",
  "along-0", "along-1", "along-of"];
const OF_PLANE = ["q", "normal", "at", "turn", "tilt", "reach", "low", "high"], PRESSED =
  ["vectors", "open", "iso", "sonic"];
const WAIT = 250;
const short = (v) => Number(v.toPrecision(5));
const of = (id) => document.getElementById(id);
const on = (button) => button.getAttribute("aria-pressed") === "true";

// Everything now. planes: list of { node }; view: the camera's; clicked: what streamlines start from, if a
// click said so.
export function state(view, planes, clicked) {
  const part = (plane, name) => plane.node.querySelector(`[data-p="${name}"]`);
  return {
    view: [...view.target, ...view.direction, view.distance].map(short),
    fields: Object.fromEntries(FIELDS.filter((id) => of(id)?.value).map((id) => [id, of(id).value])),
    on: [...document.querySelectorAll("[data-toggle]")].filter(on).map((button) => button.dataset.toggle),
    planes: planes.map((plane) => Object.fromEntries([...OF_PLANE.map((name) => [name, part(plane,
      name).value]), ...PRESSED.filter((name) => on(part(plane, name))).map((name) => [name, true])])),
    parts: Object.fromEntries([...of("parts").children].map((row) => [row.firstChild.textContent,
      Number(row.lastChild.value)]).filter(([, opacity]) => opacity !== 1)),
    ...clicked,
  };
}

// Addresses of before hold lists without names.
function named(found) {
  const pairs = (names, values) => Object.fromEntries(values.map((v, k) => [names[k], v]));
  if (Array.isArray(found.fields)) found.fields = pairs(FIELDS, found.fields.map(String));
  found.planes = found.planes.map((plane) => (Array.isArray(plane) ? pairs([...OF_PLANE, ...PRESSED],
    plane) : plane));
  return found;
}

// What the address says, or null where it says nothing that can be read.
export function fromAddress() {
  try {
    const found = named(JSON.parse(new URLSearchParams(location.search).get("look")));
    const sound = found.view.length === 7 && found.view.every(Number.isFinite) && found.view[6] > 0 &&
      typeof found.fields === "object" && Array.isArray(found.on);
    return sound ? found : null;
  } catch { return null; }
}

// Put values and buttons as they were; what they mean is drawn by whoever asks.
export function restore(found) {
  for (const id of FIELDS) {
    const field = of(id), value = String(found.fields[id] ?? (field?.type === "range" ? field.defaultValue :
      ""));
    if (field && (field.tagName !== "SELECT" || [...field.options].some((o) => o.value === value)))
      field.value = value;
  }
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

// A plane's row as it was.
export function restorePlane(part, saved, press) {
  for (const name of OF_PLANE) if (saved[name] !== undefined) part(name).value = saved[name];
  part("slide").value = saved.at;
  for (const name of PRESSED) if (saved[name]) press(part(name));
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
