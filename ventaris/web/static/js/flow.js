// The flow view: its tools change the picture, and everything one sees is in the address.
import { Along } from "./along.js";
import { film } from "./film.js";
import { Lines } from "./flow_lines.js";
import { Grips } from "./grips.js";
import { keeps } from "./keep_view.js";
import { plays } from "./player.js";
import { format, numberIn } from "./scale.js";
import { FlowCanvas } from "./viewer.js";

const root = document.getElementById("flow");
if (root) {
  const id = root.dataset.run, stage = document.getElementById("stage"), get = (n) =>
    document.getElementById(n);
  const query = new URLSearchParams(location.search);
  const flags = { bands: query.get("bands") !== "0", iso: query.get("iso") === "1", sonic:
    query.get("sonic") !== "0", reversed: query.get("reversed") === "1", grid: query.get("grid") === "1",
    riding: query.get("riding") === "1", stream: query.get("stream") === "1",
    vectors: query.get("vectors") === "1", streak: query.get("streak") === "1", lock:
    query.has("low"), line: false, seed: false };
  const view = new FlowCanvas(stage, { legend: document.querySelector("[data-legend]"),
    lineLegend: document.querySelector("[data-legend-lines]"), arrowLegend: get("arrow-legend"), quantity:
    query.get("q") || "mach", wheel: true, onProbe: reading, onPick: (x, y) => {
    if (flags.line) along.click(x, y);
    else if (flags.seed) lines.click(x, y);
    else if (get("profile")) look("profile", { x, y }); }, onView: () => { remember(); lines.show(); } });

  const grips = new Grips(view), lines = new Lines(view, get, grips, id, flags, () => remember());
  const along = new Along(view, get, grips, () => { flags.line = false; apply(); });
  if (query.has("line")) along.read(query.get("line"));
  // What the run's instruments stand at.
  JSON.parse(root.dataset.marks).forEach(({ name, x, y }, k) => grips.set(`mark-${k}`, { label: name, at:
    () => view.data && [x, y] }));

  async function look(what, values) {
    const answer = await fetch(`/runs/${id}/${what}?${new URLSearchParams(values)}`);
    get(what).innerHTML = answer.ok ? await answer.text() :
      `<p class="small pale">${what === "wake" ? "Give x in chords, for example 1.5."
        : "No profile here."}</p>`;
  }
  get("survey")?.addEventListener("click", survey);

  // The wake's station stands in the picture once it has been surveyed, and moves there.
  function survey() {
    const field = get("wake-x"), x = () => numberIn(field.value);
    look("wake", { x: field.value });
    const line = () => { const box = view.fieldBox(); view.setPath(Number.isFinite(x()) ? [[x(), box[2]],
      [x(), box[3]]] : [], "wake", 0x0E4B45); };
    line();
    grips.set("wake", { label: "Station of the wake survey", at: () => { const box = view.fieldBox();
      return Number.isFinite(x()) ? [x(), box[2] + 0.15 * (box[3] - box[2])] : null; },
    move: (dx, dy, from, to) => { field.value = Number(view.pointAt(to)[0].toPrecision(4)); line(); },
    done: survey });
  }

  function range() {
    const low = numberIn(get("low").value), high = numberIn(get("high").value);
    return flags.lock && Number.isFinite(low) && Number.isFinite(high) && high > low ? [low, high] : null;
  }

  function apply() {
    for (const b of document.querySelectorAll("[data-toggle]")) b.setAttribute("aria-pressed",
      String(flags[b.dataset.toggle]));
    view.state.riding = flags.riding;
    view.putAt();
    view.set({ quantity: get("quantity").value, banded: flags.bands, iso: flags.iso, sonic: flags.sonic,
      reversed: flags.reversed, grid: flags.grid, riding: flags.riding,
      bands: Math.min(Math.max(parseInt(get("bandcount").value,
      10) || 24, 2), 120), map: get("map").value || null, range: range() });
    if (!flags.lock) { const [low, high] = view.range(); get("low").value = format(low); get("high").value =
      format(high); }
    remember();
    lines.show();
    along.show();
  }

  function parameters() {
    const p = new URLSearchParams({ q: get("quantity").value });
    for (const name of ["bands", "iso", "sonic", "reversed", "grid", "riding", "stream", "vectors",
      "streak"]) {
      if (flags[name] !== ["bands", "sonic"].includes(name)) p.set(name, flags[name] ? "1" : "0");
    }
    const r = range();
    if (r) { p.set("low", r[0]); p.set("high", r[1]); }
    if (get("map").value) p.set("map", get("map").value);
    lines.write(p);
    if (along.text()) p.set("line", along.text());
    const v = view.view;
    p.set("view", [v.x, v.y, v.width].map((s) => Number(s.toPrecision(5))).join(","));
    return p;
  }

  // The view as the campaign keeps it, for all of its runs.
  keeps(get("keep"), get("kept"), id, () => ({ quantity: get("quantity").value, box: view.box(), span:
    range(), map: get("map").value || null, bands: flags.bands, iso: flags.iso, sonic: flags.sonic, lines:
    lines.kept() }));

  let timer = 0;
  function remember() {
    clearTimeout(timer);
    timer = setTimeout(() => {
      const p = parameters();
      history.replaceState(null, "", `?${p}`);
      const out = new URLSearchParams(p);
      out.set("box", view.box().map((s) => s.toFixed(5)).join(","));
      for (const name of ["bands", "iso", "sonic", "stream", "vectors", "reversed", "grid", "streak"])
        out.set(name, flags[name] ? "1" : "0");
      for (const a of document.querySelectorAll("[data-export]")) a.href =
        `/runs/${id}/picture.${a.dataset.export}?${out}`;
    }, 120);
  }

  function reading(values) {
    const table = get("reading");
    if (!values) { table.innerHTML = '<tbody><tr><td class="pale">outside the flow</td></tr></tbody>'; return;
      }
    const length = view.data.home ? "m" : "chords";
    const rows = [[`x, ${length}`, format(values.x)], [`${view.data.home ? "r" : "y"}, ${length}`,
      format(values.y)]];
    for (const q of view.data.quantities) rows.push([q.label + (q.unit ? `, ${q.unit}` : ""),
      format(values[q.key])]);
    rows.push(["velocity u, v in m/s", `${format(values.u)}, ${format(values.v)}`]);
    table.innerHTML = "<tbody>" + rows.map(() => '<tr><td></td><td class="num"></td></tr>').join("") +
      "</tbody>";
    rows.forEach(([name, text], k) => { const cells = table.rows[k].cells; cells[0].textContent = name;
      cells[1].textContent = text; });
  }

  get("quantity").value = view.state.quantity;
  for (const [name, input] of [["low", "low"], ["high", "high"], ["map", "map"]])
    if (query.has(name)) get(input).value = query.get(name);
  lines.read(query);
  if (query.has("view")) { const [x, y, width] = query.get("view").split(",").map(Number); if ([x, y,
    width].every(Number.isFinite) && width > 0) view.look({ x, y, width }, false); }
  root.addEventListener("click", (event) => {
    const toggle = event.target.closest("[data-toggle]"), go = event.target.closest("[data-view]");
    if (toggle) { flags[toggle.dataset.toggle] = !flags[toggle.dataset.toggle]; apply(); }
    else if (go) view.go(go.dataset.view);
    else if (event.target.closest("[data-range]")) { flags.lock = false; apply(); }
  });
  root.addEventListener("change", (event) => {
    if (["low", "high"].includes(event.target.id)) flags.lock = true;
    apply();
  });
  get("other")?.addEventListener("change", (event) => { if (event.target.value) location.href =
    event.target.value; });
  try {
    await view.load(`/runs/${id}/field.bin`);
    stage.querySelector(".wait").remove();
    apply();
    stage.dataset.ready = "1";
  } catch (error) { stage.querySelector(".wait").textContent =
    `The field could not be shown: ${error.message}`; }

  // Frames of an unsteady run: fetched once each, played back in turn.
  const slider = get("frame");
  if (slider) {
    const times = JSON.parse(slider.dataset.times), unit = slider.dataset.unit, scale =
      Number(slider.dataset.scale), cache = new Map();
    let shown = -1;
    // A moment holds the field that is looked at; each is fetched once.
    const fetched = (k) => {
      const key = `${get("quantity").value} ${k}`;
      if (!cache.has(key)) cache.set(key,
        view.fetchData(`/runs/${id}/field.bin?frame=${k}&q=${get("quantity").value}`));
      return cache.get(key);
    };
    const frame = async (k) => {
      shown = k;
      const data = await fetched(k);
      if (shown !== k) return;
      await view.showFields(data);
      along.show();
      lines.moment(k);
      slider.value = k;
      get("frame-time").textContent = `${(scale * times[k]).toFixed(2)} ${unit}`;
      fetched((k + 1) % times.length);
    };
    get("quantity").addEventListener("change", () => { if (shown >= 0) frame(shown); });
    slider.addEventListener("input", () => frame(Number(slider.value)));
    const stop = plays(get("play"), times.length, () => (shown + 1) % times.length, frame);
    get("film").addEventListener("click", async () => {
      stop();
      get("film").disabled = true;
      await film(view.canvas, times.length, frame, get("film-done"));
      get("film").disabled = false;
    });
  }
}
