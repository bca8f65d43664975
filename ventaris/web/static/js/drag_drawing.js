// Handles in a sheet's drawing: what is moved there is written into its fields, in whatever unit they show.
import { fill } from "./rows.js";

const form = document.getElementById("sheet");
let held = null;

function placeOf(event, svg) {
  const p = new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());
  return [p.x, p.y];
}

function write() {
  const x = Number(held.node.getAttribute("cx")), y = -Number(held.node.getAttribute("cy"));
  let last = null;
  for (const [name, row, along, up, base, unit] of JSON.parse(held.node.dataset.sets)) {
    const field = form.querySelectorAll(`[name="${CSS.escape(name)}"]`)[row ?? 0];
    if (!field) continue;
    fill(field, Number((base + along * x + up * y).toPrecision(4)), unit);
    last = field;
  }
  last?.dispatchEvent(new Event("change", { bubbles: true }));
}

document.addEventListener("pointerdown", (event) => {
  const node = event.target.closest?.(".handle[data-sets]");
  if (!node) return;
  event.preventDefault();
  // A group that is moved has axes of its own: the handle's are those in which it stands.
  held = { node, from: placeOf(event, node), at: ["cx", "cy"].map((a) => Number(node.getAttribute(a))), moved:
    false };
  node.setPointerCapture(event.pointerId);
});
document.addEventListener("pointermove", (event) => {
  if (!held) return;
  const to = placeOf(event, held.node), sets = JSON.parse(held.node.dataset.sets);
  // What only follows one way stays on its line.
  for (const [k, name] of [[0, "cx"], [1, "cy"]]) if (sets.some((one) => one[2 + k] !== 0))
    held.node.setAttribute(name, held.at[k] + to[k] - held.from[k]);
  held.moved = true;
});
document.addEventListener("pointerup", () => {
  if (held?.moved) write();
  held = null;
});
// A click on a handle is not one into the air.
document.addEventListener("click", (event) => { if (event.target.closest?.(".handle"))
  event.stopImmediatePropagation(); }, true);
