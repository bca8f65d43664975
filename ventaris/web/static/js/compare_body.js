// Compare bodies: two pictures with linked cameras and one range, or the difference on the first body, and
// the drag gathered along them.
import { draw } from "./charts.js";
import { wiper } from "./wiper.js";
import { BodyCanvas, fetchArrays } from "./body_canvas.js";

const root = document.getElementById("compare");
if (root) {
  const ids = root.dataset.runs.split(","), names = JSON.parse(document.getElementById("names").textContent),
    get = (n) => document.getElementById(n);
  const query = new URLSearchParams(location.search);
  const flags = { bands: true, plane: false };
  let mode = query.get("mode") || "pair";
  const isApart = () => mode !== "difference", wipe = wiper();
  const link = (other) => (v) => views[other]?.look(structuredClone(v), false);
  const views = [new BodyCanvas(get("stage-0"), { legend: document.querySelector("[data-legend]"), onView:
    link(1) }), new BodyCanvas(get("stage-1"), { onView: link(0) })];
  const second = () => get("second")?.value || ids[1];
  if (query.get("q")) get("quantity").value = query.get("q");

  function commonRange(key) {
    const found = views.map((v) => v.data?.quantities.find((q) => q.key === key)?.range).filter(Boolean);
    return found.length ? [Math.min(...found.map((r) => r[0])), Math.max(...found.map((r) => r[1]))] : null;
  }

  async function load() {
    const apart = isApart();
    wipe(mode === "wiper");
    get("pair").classList.toggle("one", !apart);
    get("second-box").hidden = !apart;
    get("name-0").textContent = apart ? names[ids[0]] :
      `${names[second()]} minus ${names[ids[0]]}, on the body of ${names[second()]}`;
    get("name-1").textContent = names[second()];
    for (const b of root.querySelectorAll("[data-mode]")) b.setAttribute("aria-pressed",
      String(b.dataset.mode === mode));
    await views[0].load(apart ?
      `/runs/${ids[0]}/surface.bin` : `/runs/${second()}/surface.bin?minus=${ids[0]}`);
    if (apart) { await views[1].load(`/runs/${second()}/surface.bin`);
      views[1].look(structuredClone(views[0].view), false); }
    await apply();
    get("pair").dataset.ready = mode;
  }

  async function apply() {
    const key = get("quantity").value, pair = isApart();
    for (const b of root.querySelectorAll("[data-toggle]")) b.setAttribute("aria-pressed",
      String(flags[b.dataset.toggle]));
    const range = pair ? commonRange(key) : null;
    for (const [k, view] of views.entries()) {
      if (k && !pair) continue;
      await view.set({ quantity: key, banded: flags.bands, range });
      const run = k ? second() : ids[0];
      if (flags.plane && pair) await view.setPlane("plane-1",
        await fetchArrays(`/runs/${run}/plane.bin?normal=y&at=${view.middle[1]}&q=speed`),
        await planeRange());
      else view.drop("plane-1");
    }
    const p = new URLSearchParams(location.search);
    p.set("q", key); p.set("mode", mode);
    history.replaceState(null, "", `?${p}`);
  }

  // One range for both planes.
  let shared = null;
  async function planeRange() {
    if (!shared) {
      const both = await Promise.all([ids[0], second()].map((run) =>
        fetchArrays(`/runs/${run}/plane.bin?normal=y&q=speed&columns=60`)));
      shared = [0, Math.max(...both.map((d) => d.quantity.range[1]))];
    }
    return shared;
  }

  root.addEventListener("click", (event) => {
    const m = event.target.closest("[data-mode]"), t = event.target.closest("[data-toggle]"), v =
      event.target.closest("[data-view]");
    if (m) { mode = m.dataset.mode; load(); }
    else if (t) { flags[t.dataset.toggle] = !flags[t.dataset.toggle]; apply(); }
    else if (v) views[0].go(v.dataset.view);
  });
  root.addEventListener("change", (event) => { if (event.target.id === "second") { shared = null; load();
    } else apply(); });
  const answer =
    await fetch(`/campaigns/${root.dataset.campaign}/curves.json?what=build_drag&`
      + ids.map((i) => `run=${i}`).join("&"));
  draw("overlay", await answer.json());
  await load();
}
