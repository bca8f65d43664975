// The flow view of a body: what is shown stands in the panel; every change asks the server for just that.
import { BodyCanvas, fetchArrays } from "./body_canvas.js";
import { fromAddress, remember, restore, restorePlane, state } from "./body_state.js";
import { SpaceLine } from "./body_line.js";
import { Streams } from "./body_streams.js";
import { Grips } from "./grips.js";
import { keeps } from "./keep_view.js";
import { film } from "./film.js";
import { save } from "./save.js";
import { format, numberIn } from "./scale.js";

const root = document.getElementById("flow");
const id = root?.dataset.run;
const $ = (name) => document.getElementById(name);
const planes = [], TURN = 90;
let canvas = null, grips = null, streams = null, line = null;

function say(words) { $("message").textContent = words; }

async function guarded(work) {
  try { await work(); } catch (error) { say(String(error.message).replace(/<[^>]*>/g, " ").slice(0, 200)); }
}

async function start() {
  const stage = $("stage");
  stage.querySelector(".wait").remove();
  canvas = new BodyCanvas(stage, { legend: document.querySelector("[data-legend]"), arrowLegend:
    $("arrow-legend"), onPick: (hit) => {
    read(hit); if (hit && !line.click(hit.at)) streams.click(hit.at, hit.normal, hit.part); }, onPlane: (at,
    normal) => line.click(at) || streams.click(at, normal, ""), onView: keep });
  grips = new Grips(canvas);
  streams = new Streams(canvas, $, grips, id, { say, guarded, changed: keep });
  window.bodyCanvas = canvas;
  await canvas.load(`/runs/${id}/surface.bin`);
  line = new SpaceLine(canvas, $, grips, id, { guarded, changed: keep });
  listParts();
  // What the run's instruments stand at.
  JSON.parse(root.dataset.marks).forEach(({ name, at, ring }, k) => {
    grips.set(`mark-${k}`, { label: name, at: () => at });
    if (ring) canvas.setRing(`meter-${k}`, ring);
  });
  const found = fromAddress();
  if (found) await restoreAll(found);
  else { ground(true); await addPlane(); }
  root.dataset.ready = "1";
}

// Everything one sees is in the address, so that a link or a bookmark brings it back.
function keep() { if (root.dataset.ready) remember(() => state(canvas.view, planes, streams.clicked)); }

async function restoreAll(found) {
  restore(found);
  if (found.normal || found.part) streams.clicked = { normal: found.normal, part: found.part };
  const button = (name) => document.querySelector(`[data-toggle="${name}"]`);
  await canvas.set({ quantity: $("quantity").value, mapped: $("quantity").value !== "", range: range(),
    banded: pressed(button("banded")) });
  ground(pressed(button("ground")));
  for (const plane of found.planes) await addPlane(plane);
  const [x, y, z, dx, dy, dz, distance] = found.view;
  canvas.look({ target: [x, y, z], direction: [dx, dy, dz], distance });
  if (button("oil") && pressed(button("oil"))) await drawOil(true);
  if (pressed(button("domain"))) canvas.setDomain(canvas.data.domain);
  await streams.draw();
  await line.show();
  await drawIso();
  openBody();
}

function ground(shown) {
  canvas.setGround(shown && root.dataset.ground !== "" ? Number(root.dataset.ground) : null,
    root.dataset.moving === "yes");
}

function range() {
  const [low, high] = ["low", "high"].map((name) => numberIn($(name).value));
  return Number.isFinite(low) && Number.isFinite(high) && high > low ? [low, high] : null;
}

function listParts() {
  const box = $("parts");
  box.replaceChildren();
  for (const [name] of canvas.data.groups) {
    const row = document.createElement("div");
    row.className = "d-flex gap-2 align-items-center small";
    row.innerHTML =
      '<span class="flex-fill text-truncate"></span>'
        + '<input type="range" class="form-range w-50" min="0" max="1" step="0.05" value="1">';
    row.firstChild.textContent = name;
    row.lastChild.setAttribute("aria-label", `Opacity of ${name}; 0 hides it`);
    row.lastChild.addEventListener("input", (event) => canvas.fade(name, Number(event.target.value)));
    box.append(row);
  }
}

function read(hit) {
  const body = $("reading").tBodies[0];
  if (!hit) return;
  const rows = [["part", hit.part], ["x, m", format(hit.at[0])], ["y, m", format(hit.at[1])], ["z, m",
    format(hit.at[2])],
    ...canvas.data.quantities.map((q) => [q.label, format(hit[q.key])])];
  body.replaceChildren(...rows.map(([name, value]) => { const row = document.createElement("tr");
    row.innerHTML = "<td></td><td class='num right'></td>"; row.firstChild.textContent = name;
    row.lastChild.textContent = value; return row; }));
}

// Planes.
async function addPlane(saved) {
  const node = $("plane-row").content.cloneNode(true).firstElementChild, number = (planes.at(-1)?.number ||
    0) + 1;
  const plane = { node, number, name: `plane-${number}`, busy: false, again: false };
  planes.push(plane);
  $("planes").append(node);
  const p = (name) => node.querySelector(`[data-p="${name}"]`);
  p("q").value = [...p("q").options].some((o) => o.value === "speed") ? "speed" : p("q").options[0].value;
  const span = () => {
    const axis = "xyz".indexOf(p("normal").value), [a, b] = canvas.box, s = canvas.size, [low, high] =
      [a[axis] - 1.0 * s, b[axis] + 1.5 * s];
    p("slide").min = low; p("slide").max = high; p("slide").step = (high - low) / 400;
    const at = axis === 0 ? b[0] + 0.05 * s : canvas.middle[axis];
    p("at").value = Number(at.toPrecision(4)); p("slide").value = at;
  };
  p("normal").addEventListener("change", () => { span(); drawPlane(plane); });
  p("slide").addEventListener("input", () => { p("at").value =
    Number(Number(p("slide").value).toPrecision(4)); drawPlane(plane); });
  for (const name of ["q", "at", "turn", "tilt", "reach"]) p(name).addEventListener("change", () => {
    if (name === "at") p("slide").value = parseFloat(p("at").value); drawPlane(plane); });
  for (const name of ["low", "high"]) p(name).addEventListener("change", () => showPlane(plane));
  for (const name of ["vectors", "open", "iso", "sonic"]) p(name).addEventListener("click", (event) => {
    press(event.currentTarget); drawPlane(plane); });
  node.querySelector("[data-drop]").addEventListener("click", () => { planes.splice(planes.indexOf(plane), 1);
    node.remove(); canvas.drop(plane.name); grips.drop(plane.name); openBody(); });
  span();
  if (saved) {
    p("normal").value = saved.normal;
    span();
    restorePlane(p, saved, press);
  }
  await drawPlane(plane);
}

function press(button) { button.setAttribute("aria-pressed",
  String(button.getAttribute("aria-pressed") !== "true")); button.classList.toggle("on",
  button.getAttribute("aria-pressed") === "true"); }
const pressed = (button) => button.getAttribute("aria-pressed") === "true";

async function drawPlane(plane) {
  // While one answer is on its way only the newest wish is remembered.
  if (plane.busy) { plane.again = true; return; }
  plane.busy = true;
  const p = (name) => plane.node.querySelector(`[data-p="${name}"]`);
  await guarded(async () => {
    const query = new URLSearchParams({ q: p("q").value, normal: p("normal").value, at: p("at").value, turn:
      p("turn").value, tilt: p("tilt").value, reach: p("reach").value });
    const data = await fetchArrays(`/runs/${id}/plane.bin?${query}`);
    if (!data.triangles.length) say("The plane meets no air here: move it, or let it reach farther.");
    plane.data = data;
    await showPlane(plane);
    gripPlane(plane, p);
    openBody();
  });
  plane.busy = false;
  if (plane.again) { plane.again = false; await drawPlane(plane); }
}

// The plane's grip stands over the body (before it on a level plane) and moves it along its normal.
function gripPlane(plane, p) {
  if (!plane.data.triangles.length) { grips.drop(plane.name); return; }
  const axis = "xyz".indexOf(p("normal").value), corner = nearest(plane.data, canvas.middle.map((v, k) => v +
    0.4 * canvas.size * (k === 2 ? Number(axis !== 2) : k === 0 ? -Number(axis === 2) : 0)));
  const drawnAt = numberIn(p("at").value);
  const at = () => corner.map((v, k) => v + (k === axis ? numberIn(p("at").value) - drawnAt : 0));
  grips.set(plane.name, { label: `Plane ${plane.number}`, kind: "end", at, move: (dx, dy) => {
    const to = canvas.shifted(at(), dx, dy, [0, 1, 2].map((k) => Number(k === axis)));
    p("at").value = Number((to[axis] - corner[axis] + drawnAt).toPrecision(4));
    p("slide").value = p("at").value;
    drawPlane(plane);
  }, done: keep });
}

// The point of a plane's triangles that is nearest to another.
function nearest({ points, triangles }, to) {
  let best = null, least = Infinity;
  for (const i of triangles) {
    const away = (points[3 * i] - to[0]) ** 2 + (points[3 * i + 1] - to[1]) ** 2 + (points[3 * i + 2] -
      to[2]) ** 2;
    if (away < least) { least = away; best = [...points.subarray(3 * i, 3 * i + 3)]; }
  }
  return best;
}

// What a plane holds, as the page has it now.
async function showPlane(plane) {
  canvas.arrows = 3 ** Number($("arrows").value);
  const p = (name) => plane.node.querySelector(`[data-p="${name}"]`), on = (name) => pressed(p(name));
  const ends = ["low", "high"].map((name) => numberIn(p(name).value));
  const range = ends.every(Number.isFinite) && ends[1] > ends[0] ? ends : null;
  await canvas.setPlane(plane.name, plane.data, range, on("vectors"), { iso: on("iso"), sonic: on("sonic") });
  $("arrow-legend").hidden = !planes.some((item) => pressed(item.node.querySelector('[data-p="vectors"]')));
  $("arrow-legend").textContent = `arrows: ${format(0.05 * canvas.size * canvas.arrows, 3)} m long at the
    speed of the stream`.replace(/\s+/g, " ");
}

async function showPlanes() { for (const plane of planes) if (plane.data) await showPlane(plane); }

function openBody() {
  const plane = planes.find((item) => pressed(item.node.querySelector('[data-p="open"]')) &&
    item.data?.points.length);
  if (!plane) { canvas.set({ clip: null }); return; }
  const n = plane.data.normal, at = plane.data.points.subarray(0, 3), level = n[0] * at[0] + n[1] * at[1] +
    n[2] * at[2];
  // What lies on the camera's side goes.
  const side = n[0] * canvas.view.direction[0] + n[1] * canvas.view.direction[1] +
    n[2] * canvas.view.direction[2] > 0 ? 1 : -1;
  canvas.set({ clip: [side * n[0], side * n[1], side * n[2], side * level] });
}

async function drawIso() {
  const key = $("iso").value;
  if (!key) { canvas.drop("iso"); return; }
  await guarded(async () => {
    const found =
      await canvas.setIso(await fetchArrays(`/runs/${id}/iso.bin?`
        + new URLSearchParams({ q: key, value: $("iso-value").value, by: $("iso-by").value })));
    say(found ? "" : "The flow does not reach this value near the body.");
  });
}

async function drawOil(shown) {
  if (!shown) { canvas.drop("oil"); return; }
  await guarded(async () => canvas.setLines("oil", await fetchArrays(`/runs/${id}/oil.bin?count=700`),
    0x1B2A2F));
}

// Once round the body.
async function once() {
  const kept = [...canvas.view.direction];
  $("save-film").disabled = true;
  await film(canvas.canvas, TURN, (k) => { canvas.look({ direction: kept }, false); canvas.turn(-2 * Math.PI *
    k / TURN, 0); }, $("film-done"));
  canvas.look({ direction: kept });
  $("save-film").disabled = false;
}

if (root) {
  await guarded(start);
  for (const name of ["low", "high"]) $(name).addEventListener("change", () => canvas.set({ range:
    range() }));
  $("quantity").addEventListener("change", () => { $("low").value = $("high").value = ""; canvas.set({
    quantity: $("quantity").value, mapped: $("quantity").value !== "", range: null }); });
  for (const kind of ["change", "input", "click"]) root.addEventListener(kind, keep);
  $("add-plane").addEventListener("click", () => addPlane());
  $("iso").addEventListener("change", () => { $("iso-value").value =
    $("iso").selectedOptions[0].dataset.value || ""; drawIso(); });
  for (const name of ["iso-value", "iso-by"]) $(name).addEventListener("change", drawIso);
  $("arrows").addEventListener("input", showPlanes);
  for (const button of document.querySelectorAll("[data-toggle]")) button.addEventListener("click",
    async () => {
    press(button);
    const on = pressed(button), what = button.dataset.toggle;
    if (what === "oil") await drawOil(on);
    else if (what === "ground") ground(on);
    else if (what === "domain") canvas.setDomain(on ? canvas.data.domain : null);
    else { await canvas.set({ banded: on }); await showPlanes(); }
  });
  for (const button of document.querySelectorAll("[data-view]")) button.addEventListener("click", () => {
    const what = button.dataset.view;
    if (what === "in") canvas.look({ distance: canvas.view.distance / 1.25 });
    else if (what === "out") canvas.look({ distance: canvas.view.distance * 1.25 });
    else canvas.go(what);
    openBody();
  });
  $("save-picture").addEventListener("click", () => save(canvas.picture(root.dataset.title),
    `${root.dataset.file}.png`));
  $("save-film").addEventListener("click", () => guarded(once));
  $("other")?.addEventListener("change", (event) => { if (event.target.value) window.location =
    event.target.value; });
  keeps($("keep"), $("kept"), id, () => ({ kind: "body", look: state(canvas.view, planes,
    streams.clicked) }));
}
