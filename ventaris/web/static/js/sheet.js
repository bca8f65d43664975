// The run sheet: fields that do not apply are hidden, problems stand at their fields, the drawing follows the cursor.
import { token } from "./page.js";
import { addNamedRow } from "./rows.js";

const form = document.getElementById("sheet");
const base = form.dataset.base;
let section = "shape";

// "a=x|y&b=z;c=w": one of the alternatives holds. A field that is itself hidden fulfils nothing.
function holds(part) {
  return part.dataset.when.split(";").some((alternative) => alternative.split("&").every((term) => {
    const [name, allowed] = term.split("="), control = form.elements[name], above = control?.closest("[data-when]");
    return control && allowed.split("|").includes(control.value) && (!above || above === part || holds(above));
  }));
}

function applyConditions() {
  for (const part of form.querySelectorAll("[data-when]")) part.hidden = !holds(part);
  for (const part of form.querySelectorAll("[data-row-when]")) {
    const control = part.closest(".row-card").querySelector(`[name="${part.dataset.rowWhen}"]`);
    part.hidden = !part.dataset.is.split("|").includes(control.value);
  }
}

function placeProblems() {
  for (const slot of form.querySelectorAll("[data-problem]")) { slot.hidden = true; slot.textContent = ""; }
  for (const input of form.querySelectorAll(".is-invalid")) input.classList.remove("is-invalid");
  for (const item of form.querySelectorAll("#problem-list li")) {
    const path = item.dataset.path;
    let slot = null;
    for (let parts = path.split("."); parts.length && !slot; parts.pop()) slot = form.querySelector(`[data-problem="${CSS.escape(parts.join("."))}"]`);
    if (slot) { slot.hidden = false; slot.textContent = item.textContent; }
    if (form.elements[path]?.classList) form.elements[path].classList.add("is-invalid");
  }
}

async function post(address, target) {
  const answer = await fetch(address, { method: "POST", body: new FormData(form), headers: { "X-CSRFToken": token() } });
  target.innerHTML = await answer.text();
}

let drawing = 0;
async function draw() {
  const mine = ++drawing;
  const holder = document.getElementById("drawing");
  const answer = await fetch(`${base}/drawing/${section}`, { method: "POST", body: new FormData(form), headers: { "X-CSRFToken": token() } });
  const text = await answer.text();
  if (mine === drawing && answer.ok) holder.innerHTML = text;
}

function look(name) {
  if (name === section && document.getElementById("drawing").childElementCount) return;
  section = name;
  for (const tab of document.querySelectorAll("[data-tab]")) tab.setAttribute("aria-selected", String(tab.dataset.tab === name));
  for (const part of form.querySelectorAll(".section")) part.classList.toggle("seen", part.dataset.section === name);
  draw();
}

form.addEventListener("focusin", (event) => {
  const part = event.target.closest(".section");
  if (part) look(part.dataset.section);
});
// The cursor resting on a section is enough to see what it is about.
let resting = 0;
form.addEventListener("mouseover", (event) => {
  const part = event.target.closest(".section");
  clearTimeout(resting);
  if (part) resting = setTimeout(() => look(part.dataset.section), 350);
});
form.addEventListener("mouseleave", () => clearTimeout(resting));
form.addEventListener("input", (event) => {
  const box = event.target.closest(".with-unit");
  if (box) box.classList.toggle("typed", /[a-z°%µ]/i.test(event.target.value.replace(/e[-+]?\d+$/i, "")));
});
form.addEventListener("change", () => { applyConditions(); draw(); document.getElementById("saved").textContent = "saving"; });
document.addEventListener("htmx:afterSettle", placeProblems);
const NOT_SAVED = "not saved";
for (const failed of ["htmx:responseError", "htmx:sendError"]) form.addEventListener(failed, () => { document.getElementById("saved").textContent = NOT_SAVED; });
for (const tab of document.querySelectorAll("[data-tab]")) tab.addEventListener("click", () => look(tab.dataset.tab));

form.addEventListener("click", async (event) => {
  if (event.target.closest("[data-start]")) {
    const button = event.target.closest("[data-start]");
    button.disabled = true;
    await settle();
    if (document.getElementById("saved").textContent === NOT_SAVED) { button.disabled = false; return; }
    const start = document.createElement("form");
    start.method = "post";
    start.action = `${base}/run`;
    start.innerHTML = `<input type="hidden" name="csrf_token" value="${token()}">`;
    document.body.append(start);
    if (!document.querySelector("#problem-list li")) start.submit();
  } else if (event.target.closest("[data-force]")) {
    const flag = document.createElement("input");
    flag.type = "hidden"; flag.name = "force"; flag.value = "1";
    form.append(flag);
    htmx.trigger(form, "rows-changed");
    document.addEventListener("htmx:afterSettle", () => flag.remove(), { once: true });
  } else if (event.target.closest("[data-plan]")) {
    await post(`${base}/plan`, document.getElementById("plan"));
  } else if (event.target.closest("[data-fill]")) {
    const plan = event.target.closest("[data-fill]").dataset;
    for (const [name, filled] of [["first_height", plan.first], ["layers", plan.layers], ["planned_speed", plan.speed]]) form.elements[`grid.${name}`].value = filled;
    changed();
  } else if (event.target.closest("[data-add-row]")) {
    const rows = event.target.closest("[data-rows]");
    rows.querySelector("[data-list]").append(rows.querySelector("template").content.cloneNode(true));
    rows.querySelector("[data-list]").lastElementChild.querySelector("input, select").focus();
    changed();
  } else if (event.target.closest("[data-drop-row]")) {
    event.target.closest(".row-card").remove();
    changed();
  }
});

// A click into a drawing that says so puts a further instrument there: its x and r are metres from the drawing's own start.
function placeAt(event) {
  const drawing = event.target.closest("svg[data-place]");
  if (!drawing) return;
  const at = new DOMPoint(event.clientX, event.clientY).matrixTransform(drawing.getScreenCTM().inverse());
  const scale = Number(drawing.dataset.perUnit), along = at.x - Number(drawing.dataset.from);
  addNamedRow(form, `instruments.${drawing.dataset.place}`, "m", { x: (along * scale).toPrecision(4), r: (Math.abs(at.y) * scale).toPrecision(4) });
  changed();
}
document.addEventListener("click", placeAt);

function changed() {
  applyConditions();
  document.getElementById("saved").textContent = "saving";
  htmx.trigger(form, "rows-changed");
  draw();
}

// A change that is still on its way, or waits behind one, must be stored before the run starts.
async function settle() {
  do await new Promise((done) => setTimeout(done, 30)); while (form.classList.contains("htmx-request"));
}

document.querySelector("[data-quality]").addEventListener("click", async (event) => {
  event.target.disabled = true;
  await post(`${base}/quality`, document.getElementById("quality"));
  event.target.disabled = false;
});
form.addEventListener("submit", (event) => event.preventDefault());

// What was typed while the scripts were still on their way is stored as soon as they are here.
function differs(control) {
  if (control.options) return control.value !== ([...control.options].find((option) => option.defaultSelected) ?? control.options[0])?.value;
  return control.type === "checkbox" ? control.checked !== control.defaultChecked : "defaultValue" in control && control.value !== control.defaultValue;
}
document.addEventListener("DOMContentLoaded", () => { if ([...form.elements].some(differs)) changed(); });

applyConditions();
placeProblems();
draw();
