// Compare: two linked pictures with one range, or their difference, and the Cp overlay.
import { draw } from "./charts.js";
import { plays } from "./player.js";
import { wiper } from "./wiper.js";
import { FlowCanvas } from "./viewer.js";

const root = document.getElementById("compare");
if (root) {
  const ids = root.dataset.runs.split(","), names = JSON.parse(document.getElementById("names").textContent),
    get = (n) => document.getElementById(n);
  const query = new URLSearchParams(location.search);
  const flags = { bands: true, iso: false, sonic: true };
  let mode = query.get("mode") || "pair";
  const isApart = () => mode !== "difference", wipe = wiper();
  const legend = document.querySelector("[data-legend]");
  const link = (other) => (v) => views[other]?.look({ ...v }, false);
  const views = [new FlowCanvas(get("stage-0"), { legend, onView: link(1) }), new FlowCanvas(get("stage-1"), {
    onView: link(0) })];
  const second = () => get("second")?.value || ids[1];
  if (query.get("q")) get("quantity").value = query.get("q");

  function commonRange(key) {
    const [a, b] = views.map((v) => v.data.byKey[key].range);
    return [Math.min(a[0], b[0]), Math.max(a[1], b[1])];
  }

  async function loadBoth() {
    const apart = isApart();
    wipe(mode === "wiper");
    get("pair").classList.toggle("one", !apart);
    get("second-box").hidden = !apart;
    get("name-0").textContent = apart ? names[ids[0]] : `${names[ids[0]]} minus ${names[second()]}`;
    get("name-1").textContent = names[second()];
    for (const b of root.querySelectorAll("[data-mode]")) b.setAttribute("aria-pressed",
      String(b.dataset.mode === mode));
    await views[0].load(apart ?
      `/runs/${ids[0]}/field.bin` : `/runs/${ids[0]}/difference/${second()}/field.bin`);
    if (apart) await views[1].load(`/runs/${second()}/field.bin`);
    if (get("moments")) get("moments").hidden = !apart;
    await apply();
    if (moments && moment >= 0 && apart) await showMoment(moment);
    get("pair").dataset.ready = mode;
  }

  async function apply() {
    const key = get("quantity").value;
    for (const b of root.querySelectorAll("[data-toggle]")) b.setAttribute("aria-pressed",
      String(flags[b.dataset.toggle]));
    const shared = { quantity: key, banded: flags.bands, iso: flags.iso, sonic: flags.sonic &&
      isApart() };
    await views[0].set({ ...shared, range: isApart() ? commonRange(key) : null });
    if (isApart()) await views[1].set({ ...shared, range: commonRange(key) });
    const p = new URLSearchParams(location.search);
    p.set("q", key); p.set("mode", mode);
    history.replaceState(null, "", `?${p}`);
  }

  // Moments of both flows at the same share of their cycles, or as long before their ends.
  const moments = get("moments") && JSON.parse(get("moments").dataset.moments), fetched = new Map();
  let moment = -1;
  const momentOf = (view, run, k) => {
    const key = get("quantity").value, number = moments.frames[run]?.[k], name = `${run} ${key} ${number}`;
    if (number === undefined) return null;
    if (!fetched.has(name)) fetched.set(name,
      view.fetchData(`/runs/${run}/field.bin?frame=${number}&q=${key}`));
    return fetched.get(name);
  };
  async function showMoment(k) {
    moment = k;
    const parts = await Promise.all(views.map((view, n) => momentOf(view, n ? second() : ids[0], k)));
    if (moment !== k) return;
    for (const [n, view] of views.entries()) if (parts[n]) await view.showFields(parts[n]);
    get("moment").value = k;
    get("moment-words").textContent = moments.words[k];
    get("pair").dataset.moment = k;
  }
  if (moments) {
    get("moment").addEventListener("input", () => showMoment(Number(get("moment").value)));
    const count = moments.words.length;
    plays(get("play"), count, () => (moment + 1) % count, showMoment);
  }

  root.addEventListener("click", (event) => {
    const m = event.target.closest("[data-mode]"), t = event.target.closest("[data-toggle]"), v =
      event.target.closest("[data-view]");
    if (m) { mode = m.dataset.mode; loadBoth(); }
    else if (t) { flags[t.dataset.toggle] = !flags[t.dataset.toggle]; apply(); }
    else if (v) views[0].go(v.dataset.view);
  });
  root.addEventListener("change", (event) => { if (event.target.id === "second") loadBoth();
    else if (event.target.id !== "moment") apply().then(() => { if (moments && moment >= 0 && isApart())
      showMoment(moment); }); });
  const answer =
    await fetch(`/campaigns/${root.dataset.campaign}/curves.json?what=cp&`
      + ids.map((i) => `run=${i}`).join("&"));
  draw("overlay", await answer.json());
  await loadBoth();
}
