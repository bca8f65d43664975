// The run sheet: fields that do not apply are hidden, problems stand at their fields, the drawing follows the
// cursor.
import { notice, token } from "./page.js";
import { addNamedRow, fill } from "./rows.js";

const form = document.getElementById("sheet");
const base = form.dataset.base;
let section = "shape";

// "a=x|y&b=z;c=w": one of the alternatives holds. A name with [] is that of a field of the same row. A field
// that is
// itself hidden fulfils nothing.
function holds(part) {
  return part.dataset.when.split(";").some((alternative) => alternative.split("&").every((term) => {
    const [name, allowed] = term.split("=");
    const control = name.includes("[]") ? part.closest(".row-card").querySelector(`[name="${name}"]`) :
      form.elements[name];
    const above = control?.closest("[data-when]");
    return control && allowed.split("|").some((one) => (one === "!0" ? parseFloat(control.value) !== 0 :
      one === control.value)) && (!above || above === part || holds(above));
  }));
}

function applyConditions() {
  for (const part of form.querySelectorAll("[data-when]")) part.hidden = !holds(part);
}

function placeProblems() {
  for (const slot of form.querySelectorAll("[data-problem]")) { slot.hidden = true; slot.textContent = ""; }
  for (const input of form.querySelectorAll(".is-invalid")) input.classList.remove("is-invalid");
  for (const item of document.querySelectorAll("#problem-list li")) {
    const path = item.dataset.path;
    let slot = null;
    for (let parts = path.split("."); parts.length && !slot; parts.pop()) slot =
      form.querySelector(`[data-problem="${CSS.escape(parts.join("."))}"]`);
    if (slot) {
      slot.hidden = false;
      slot.textContent = item.textContent;
      fold(slot.closest(".section"), false);
    }
    if (form.elements[path]?.classList) form.elements[path].classList.add("is-invalid");
  }
}

async function post(address, target) {
  const answer = await fetch(address, { method: "POST", body: new FormData(form), headers: { "X-CSRFToken":
    token() } });
  target.innerHTML = await answer.text();
}

let drawing = 0;
async function draw() {
  const mine = ++drawing;
  const holder = document.getElementById("drawing");
  const answer = await fetch(`${base}/drawing/${section}`, { method: "POST", body: new FormData(form),
    headers: { "X-CSRFToken": token() } });
  const text = await answer.text();
  if (mine === drawing && answer.ok) holder.innerHTML = text;
}

function look(name) {
  if (name === section && document.getElementById("drawing").childElementCount) return;
  section = name;
  for (const tab of document.querySelectorAll("[data-tab]")) tab.setAttribute("aria-selected",
    String(tab.dataset.tab === name));
  for (const part of form.querySelectorAll(".section")) part.classList.toggle("seen",
    part.dataset.section === name);
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
// What was said of a field is about its old value: it goes at once, not with the answer.
form.addEventListener("change", (event) => {
  const name = event.target.name;
  if (!name) return;
  event.target.classList.remove("is-invalid");
  for (const slot of form.querySelectorAll(`[data-problem="${CSS.escape(name)}"]`)) { slot.hidden = true;
    slot.textContent = ""; }
  document.getElementById("preflight")?.classList.add("pending");
}, true);
form.addEventListener("change", (event) => { if (event.target.name) seen(); }, true);  // Before its request.
// Settings that this cell does not share with the campaign say whose they are, and can be given back.
function markExceptions() {
  for (const mark of form.querySelectorAll(".own")) mark.remove();
  for (const [path, whose] of Object.entries(JSON.parse(document.getElementById("excepted").textContent))) {
    const named = CSS.escape(path);
    const at = form.querySelector(`[data-field="${named}"] label, [data-rows="${named}"] .sub`);
    if (!at) continue;
    const mark = document.createElement("button");
    mark.type = "button";
    mark.className = "own";
    mark.dataset.path = path;
    mark.textContent = `${whose} ×`;
    mark.title = "A setting of its own. Click to take the campaign's again.";
    at.after(mark);
  }
}
form.addEventListener("click", async (event) => {
  const mark = event.target.closest(".own");
  if (!mark) return;
  await settle();
  const body = new URLSearchParams({ path: mark.dataset.path, csrf_token: token() });
  await fetch(`${base}/as-the-campaign`, { method: "POST", body });
  stored = changes;
  location.reload();
});
// A usual value that is chosen is typed into its field; the choice itself is no field.
for (const usual of form.querySelectorAll("[data-usual]")) {
  usual.addEventListener("change", (event) => {
    event.stopPropagation();
    const field = document.getElementById(usual.dataset.usual);
    if (!usual.value) return;
    field.value = usual.value.trim();
    usual.value = "";
    field.dispatchEvent(new Event("input", { bubbles: true }));
    field.dispatchEvent(new Event("change", { bubbles: true }));
  });
}

// Edits are taken back by the laboratory, which knows them all: the page comes anew.
async function step(which) {
  await settle();
  const body = new URLSearchParams({ csrf_token: token() });
  const answer = await fetch(`${base}/${which}`, { method: "POST", body });
  if (!answer.ok) { notice("That was changed in another way since: it cannot be taken back."); return; }
  stored = changes;
  location.reload();
}
document.querySelector(".side").addEventListener("click", (event) => {
  const button = event.target.closest("[data-step]");
  if (button) step(button.dataset.step);
});
document.addEventListener("keydown", (event) => {
  // In a field, the key takes back what is being typed there.
  if (!(event.ctrlKey || event.metaKey) || event.target.closest("input:not([type=range]), textarea")) return;
  const key = event.key.toLowerCase();
  const which = key === "y" || (key === "z" && event.shiftKey) ? "redo" : key === "z" ? "undo" : "";
  if (!which) return;
  event.preventDefault();
  if (!document.querySelector(`[data-step="${which}"]`).disabled) step(which);
});
// A field keeps the unit in which it was typed: it moves from the number to the unit beside it.
function markUnits() {
  const known = JSON.parse(document.getElementById("shown-units").textContent);
  for (const [path, [typed, pretty]] of Object.entries(known)) {
    for (const input of form.querySelectorAll(`[name="${CSS.escape(path)}"]`)) {
      const beside = input.parentElement.querySelector(".unit");
      if (!beside) continue;
      beside.textContent = pretty;
      const text = input.value.trim();
      if (!text.endsWith(typed) || text === typed || input === document.activeElement) continue;
      input.value = text.slice(0, -typed.length).trim();
      input.parentElement.classList.remove("typed");
    }
  }
}
document.addEventListener("htmx:afterSettle", () => { placeProblems(); markExceptions(); markUnits(); });
for (const tab of document.querySelectorAll("[data-tab]")) tab.addEventListener("click", () =>
  look(tab.dataset.tab));

document.querySelector(".sheet-layout").addEventListener("click", async (event) => {
  if (event.target.closest("[data-start]")) {
    const button = event.target.closest("[data-start]");
    button.disabled = true;
    await settle();
    if (unsaved()) { button.disabled = false; return; }
    const start = document.createElement("form");
    start.method = "post";
    start.action = `${base}/run`;
    start.innerHTML = `<input type="hidden" name="csrf_token" value="${token()}">`;
    document.body.append(start);
    start.submit();
  } else if (event.target.closest("[data-force]")) {
    force = true;
    changed();
  } else if (event.target.closest("[data-plan]")) {
    await post(`${base}/plan`, document.getElementById("plan"));
  } else if (event.target.closest("[data-fill]")) {
    const plan = event.target.closest("[data-fill]").dataset;
    for (const [name, filled] of Object.entries(JSON.parse(plan.fill))) form.elements[name].value = filled;
    if (plan.speed) fill(form.elements["grid.planned_speed"], plan.speed, "m/s");
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

// A file of coordinates dropped on their field is put into it.
form.addEventListener("dragover", (event) => {
  if (event.target.closest('textarea[name$=".points"]')) event.preventDefault();
});
form.addEventListener("drop", async (event) => {
  const field = event.target.closest('textarea[name$=".points"]'), file = event.dataTransfer.files[0];
  if (!field || !file) return;
  event.preventDefault();
  field.value = await file.text();
  field.dispatchEvent(new Event("input", { bubbles: true }));
});

// A click into a drawing that says so puts a further instrument there: its x and r are metres from the
// drawing's own start.
function placeAt(event) {
  const drawing = event.target.closest("svg[data-place]");
  if (!drawing) return;
  const at = new DOMPoint(event.clientX, event.clientY).matrixTransform(drawing.getScreenCTM().inverse());
  const scale = Number(drawing.dataset.perUnit), along = at.x - Number(drawing.dataset.from);
  addNamedRow(form, `instruments.${drawing.dataset.place}`, "m", { x: (along * scale).toPrecision(4), r:
    (Math.abs(at.y) * scale).toPrecision(4) });
  changed();
}
document.addEventListener("click", placeAt);

// Every change is counted, and so is the one that a request carries: the word "saved" of an answer counts
// only
// when nothing was changed since, for a later change may still wait behind that request.
let changes = 0, sent = 0, stored = 0, force = false;
const unsaved = () => stored < changes;
const say = (word) => { document.getElementById("saved").textContent = word; };

function seen() {
  changes += 1;
  applyConditions();
  tuck();
  showEffort();
  say("saving");
  draw();
}

function changed() {
  seen();
  htmx.trigger(form, "rows-changed");
}

form.addEventListener("htmx:configRequest", (event) => {
  sent = changes;
  if (force) event.detail.parameters.force = "1";
  force = false;
});
form.addEventListener("htmx:afterRequest", (event) => {
  if (!event.detail.successful) say("not saved");
  else if (sent < changes) say("saving");
  else if (!document.querySelector("#problem-list[data-unsaved], [data-force]")) stored = sent;
});

// A change that is still on its way, or waits behind one, is awaited.
async function settle() {
  do await new Promise((done) => setTimeout(done, 30)); while (form.classList.contains("htmx-request"));
}

// Whoever follows a link with a change on its way finds it stored; whoever leaves what cannot be stored is
// asked first.
document.addEventListener("click", async (event) => {
  const link = event.target.closest("a[href]");
  if (!link || !unsaved() || link.target || event.ctrlKey || event.metaKey || event.shiftKey) return;
  if ("discard" in link.dataset) { stored = changes; return; }
  event.preventDefault();
  await settle();
  location.assign(link.href);
});
window.addEventListener("beforeunload", (event) => { if (unsaved()) event.preventDefault(); });

document.querySelector("[data-quality]").addEventListener("click", async (event) => {
  event.target.disabled = true;
  await post(`${base}/quality`, document.getElementById("quality"));
  event.target.disabled = false;
});
form.addEventListener("submit", (event) => event.preventDefault());

// What was typed while the scripts were still on their way is stored as soon as they are here.
function differs(control) {
  if (control.options) return control.value !== ([...control.options].find((option) =>
    option.defaultSelected) ?? control.options[0])?.value;
  return control.type === "checkbox" ? control.checked !== control.defaultChecked :
    "defaultValue" in control && control.value !== control.defaultValue;
}
document.addEventListener("DOMContentLoaded", () => { if ([...form.elements].some(differs)) changed(); });

// Sections fold; what is seldom touched and at its default stands behind "more"; a word finds any setting.
const seldom = JSON.parse(form.dataset.seldom), memory = "ventaris-folded-sections";
const folded = new Set(JSON.parse(sessionStorage.getItem(memory) ?? "[]"));

function tuck() {
  for (const part of form.querySelectorAll(".section")) {
    let count = 0;
    for (const field of part.querySelectorAll(".field[data-field]")) {
      const path = field.dataset.field, plain = path in seldom && form.elements[path]?.value === seldom[path];
      field.classList.toggle("plain", plain);
      count += plain && !field.hidden;
    }
    const button = part.querySelector("[data-more]"), all = part.classList.contains("all");
    button.hidden = !count;
    button.textContent = all ? "fewer settings" : `${count} more setting${count > 1 ? "s" : ""}`;
    button.setAttribute("aria-expanded", String(all));
  }
}

function fold(part, is) {
  if (!part) return;
  part.classList.toggle("folded", is);
  part.querySelector("[data-fold]").setAttribute("aria-expanded", String(!is));
}

for (const part of form.querySelectorAll(".section")) fold(part, folded.has(part.dataset.section));
form.addEventListener("click", (event) => {
  const part = event.target.closest(".section"), more = event.target.closest("[data-more]");
  if (event.target.closest("[data-fold]")) {
    fold(part, !part.classList.contains("folded"));
    folded[part.classList.contains("folded") ? "add" : "delete"](part.dataset.section);
    sessionStorage.setItem(memory, JSON.stringify([...folded]));
  } else if (more) {
    part.classList.toggle("all");
    tuck();
  }
});

// From a quick look to the final answer: one hand on the level of the climb.
const effort = document.getElementById("effort"), efforts = JSON.parse(effort.dataset.levels);
function showEffort() {
  const level = form.elements["grid.level"]?.value, at = efforts.findIndex(([name]) => name === level);
  effort.closest(".effort").hidden = at < 0;
  if (at < 0) return;
  effort.value = at;
  const [, words, bar] = efforts[at];
  effort.setAttribute("aria-valuetext", words);
  document.getElementById("effort-says").textContent = words + (bar ? `. ${bar}` : "");
}
effort.addEventListener("input", () => {
  form.elements["grid.level"].value = efforts[effort.value][0];
  showEffort();
});
effort.addEventListener("change", changed);

const finder = document.getElementById("find-setting");
finder.addEventListener("change", (event) => event.stopPropagation());
finder.addEventListener("input", (event) => {
  const word = event.target.value.trim().toLowerCase();
  form.classList.toggle("searching", word !== "");
  for (const part of form.querySelectorAll(".section")) {
    let found = part.querySelector(".head").textContent.toLowerCase().includes(word);
    for (const field of part.querySelectorAll(".field")) {
      const label = field.querySelector("label");
      const said = `${label?.textContent} ${label?.title} ${field.dataset.field ?? ""}`;
      const match = said.toLowerCase().includes(word);
      field.classList.toggle("match", match);
      found ||= match && !field.hidden && !field.closest("template");
    }
    part.classList.toggle("missed", word !== "" && !found);
  }
});

applyConditions();
tuck();
showEffort();
markExceptions();
placeProblems();
draw();
