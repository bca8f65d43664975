// Lines over a plane picture: streamlines from a rake and through points, arrows; what they start from is
// moved by its grips.
import { numberIn } from "./scale.js";

const INPUTS = [["count", "count"], ["x", "rake-x"], ["lo", "rake-low"], ["hi", "rake-high"], ["by",
  "stream-by"], ["arrows", "arrows"], ["width", "line-width"], ["opacity", "line-opacity"]];
const AMBER = 0xC77700;
const short = (v) => Number(v.toPrecision(4));

export class Lines {
  // view: FlowCanvas; get(id): an element of the page; changed(): the address is out of date.
  constructor(view, get, grips, run, flags, changed) {
    Object.assign(this, { view, get, grips, run, flags, changed, seeds: [], asked: 0, at: -1 });
    this.usual = Object.fromEntries(INPUTS.map(([, id]) => [id, get(id).value]));
    for (const id of ["line-width", "line-opacity"]) get(id).addEventListener("input", () =>
      view.styleLines(this.style()));
    get("no-seeds").addEventListener("click", () => { this.seeds = []; this.show(); changed(); });
  }

  style() {
    return { width: Number(this.get("line-width").value), opacity: Number(this.get("line-opacity").value) };
  }

  // What the address says of lines, and what it shall say.
  read(query) {
    for (const [name, id] of INPUTS) if (query.has(name)) this.get(id).value = query.get(name);
    const at = (query.get("at") || "").split(",").map(Number);
    if (query.has("at") && at.every(Number.isFinite)) for (let k = 0; k + 1 < at.length; k += 2)
      this.seeds.push([at[k], at[k + 1]]);
    this.view.styleLines(this.style());
  }

  write(p) {
    for (const [name, id] of INPUTS) if ((name === "arrows" ? this.flags.vectors : this.drawn()) &&
      this.get(id).value !== this.usual[id]) p.set(name, this.get(id).value);
    if (this.seeds.length) p.set("at", this.seeds.flat().map(short).join(","));
  }

  // As the campaign keeps it.
  kept() {
    const value = (id) => { const v = numberIn(this.get(id).value); return Number.isFinite(v) ? v : null; };
    return { count: this.flags.stream ? Math.min(value("count") || 24, 120) : 0, x: value("rake-x"), low:
      value("rake-low"), high: value("rake-high"), through: this.seeds, by: this.get("stream-by").value,
      ...this.style(), arrows: this.flags.vectors ? 3 ** Number(this.get("arrows").value) : 0 };
  }

  drawn() { return this.flags.stream || this.flags.streak || this.seeds.length > 0; }

  // Streaklines belong to a moment: that which is shown, or the last.
  moment(k) {
    this.at = k;
    const lines = this.flags.streak ? this.streaks?.at(k) || [] : [];
    this.view.setPaths("streaks", lines, this.style());
  }

  // A click in the picture: one more streamline, through this point.
  click(x, y) { this.seeds.push([x, y]); this.show(); this.changed(); }

  // Both ends of the rake, in the axes of the field.
  rake() {
    const box = this.view.fieldBox(), [x0, low, high] = this.told || [box[0] + 0.01 * (box[1] - box[0]),
      box[2], box[3]], value = (id, usual) => { const v = numberIn(this.get(id).value);
      return Number.isFinite(v) ? v : usual; };
    const x = value("rake-x", x0);
    return [[x, value("rake-low", low)], [x, value("rake-high", high)]];
  }

  _rakeTo(ends) {
    this.get("rake-x").value = short(ends[0][0]);
    this.get("rake-low").value = short(ends[0][1]);
    this.get("rake-high").value = short(ends[1][1]);
    this.view.setPath(ends, "rake", AMBER);
  }

  _grips() {
    const stream = this.flags.stream || this.flags.streak, done = () => { this.show(); this.changed(); };
    const middle = ([a, b]) => [a[0], 0.5 * (a[1] + b[1])];
    // Where no place is typed the rake stands at the window's edge: its grips stand a little inside.
    const inset = (point, k) => { const box = this.view.fieldBox(), pad = 0.03 * (box[3] - box[2]);
      return [point[0], k ? Math.min(point[1], box[3] - pad) : Math.max(point[1], box[2] + pad)]; };
    for (const k of [0, 1]) {
      const name = `rake-${k}`;
      if (!stream) { this.grips.drop(name); continue; }
      this.grips.set(name, { label: `${k ? "Upper" : "Lower"} end of the rake`, kind: "end", at: () =>
        inset(this.rake()[k], k), move: (dx, dy, from, to) => {
        const ends = this.rake(), [x, y] = this.view.pointAt(to);
        ends[k][1] = k ? Math.max(y, ends[0][1]) : Math.min(y, ends[1][1]);
        ends[0][0] = ends[1][0] = x;
        this._rakeTo(ends);
      }, done });
    }
    if (stream) this.grips.set("rake", { label: "The rake", at: () => middle(this.rake()), move: (dx, dy,
      from, to) => {
      const ends = this.rake(), a = this.view.pointAt(from), b = this.view.pointAt(to);
      this._rakeTo(ends.map(([x, y]) => [x + b[0] - a[0], y + b[1] - a[1]]));
    }, done });
    else this.grips.drop("rake");
    this.view.setPath(stream ? this.rake() : [], "rake", AMBER);
    for (const name of [...this.grips.held.keys()]) if (name.startsWith("seed-") &&
      Number(name.slice(5)) >= this.seeds.length) this.grips.drop(name);
    this.seeds.forEach((_, k) => this.grips.set(`seed-${k}`, { label: `Streamline ${k + 1}`, at: () =>
      this.seeds[k], move: (dx, dy, from, to) => { this.seeds[k] = this.view.pointAt(to); }, done }));
    this.get("no-seeds").hidden = !this.seeds.length;
  }

  show() {
    this._grips();
    this.get("rake").hidden = !this.flags.stream && !this.flags.streak;
    this.get("stream-colour").hidden = this.get("line-style").hidden = !this.drawn();
    this.get("arrow-size").hidden = !this.flags.vectors;
    const mine = ++this.asked;
    setTimeout(() => { if (mine === this.asked) this._fetch(mine); }, 150);
  }

  // They take seconds: asked for again only where something else is asked for.
  async _streaks(p, mine) {
    if (this.streaksOf !== String(p)) {
      const answer = await fetch(`/runs/${this.run}/streaks?${p}`);
      if (mine !== this.asked) return;
      this.streaks = answer.ok ? (await answer.json()).frames : [];
      this.streaksOf = String(p);
    }
    this.moment(this.at);
  }

  async _fetch(mine) {
    const { view, get, run } = this, box = view.fieldBox().map((s) => s.toFixed(5)).join(",");
    if (this.drawn()) {
      const rake = this.flags.stream || this.flags.streak;
      const p = new URLSearchParams({ box, count: rake ? get("count").value || 24 : 0 });
      for (const [name, id] of [["x", "rake-x"], ["low", "rake-low"], ["high", "rake-high"], ["by",
        "stream-by"]]) if (get(id).value) p.set(name, get(id).value.replace("−", "-"));
      if (this.seeds.length) p.set("at", this.seeds.flat().map((v) => v.toPrecision(6)).join(","));
      if (this.flags.streak) await this._streaks(p, mine);
      else this.moment(-1);
      if (!this.flags.stream && this.flags.streak) p.set("count", 0);
      const answer = await (await fetch(`/runs/${run}/lines?${p}`)).json();
      if (mine !== this.asked) return;
      if (this.flags.stream) this.told = answer.rake;
      await view.setStreamlines(answer.lines, answer.values, get("stream-by").value);
      if (this.flags.stream || this.flags.streak) view.setPath(this.rake(), "rake", AMBER);
    } else { view.setStreamlines([]); this.moment(-1); }
    if (this.flags.vectors) {
      const answer = await (await fetch(`/runs/${run}/lines?kind=vectors&box=${box}`)).json();
      if (mine === this.asked) view.setVectors(answer.start, answer.velocity, view.view.width / 34
        * 3 ** Number(get("arrows").value), answer.fastest);
    } else view.setVectors([], [], 1);
  }
}
