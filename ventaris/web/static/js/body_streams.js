// Streamlines round a body: the rake they start from stands in the picture and is moved by its grips, or a
// click says from where.
import { fetchArrays } from "./body_canvas.js";
import { numberIn } from "./scale.js";

const PLACE = ["rake-x", "rake-y", "rake-z"], CLICKED = ["spot", "part"];
const short = (v) => Number(v.toPrecision(4));
const value = (field) => numberIn(field.value);

export class Streams {
  // canvas: BodyCanvas; $(id): an element of the page; say(words); guarded(work).
  constructor(canvas, $, grips, run, { say, guarded, changed }) {
    Object.assign(this, { canvas, $, grips, run, say, guarded, changed, busy: false, again: false, clicked:
      {}, rake: null, later: 0 });
    const style = () => canvas.styleLines({ width: Number($("line-width").value), opacity:
      Number($("line-opacity").value) });
    for (const id of ["line-width", "line-opacity"]) $(id).addEventListener("input", style);
    $("rake-kind").addEventListener("change", () => { this._hint(); this.draw(); });
    for (const id of ["rake-by", "rake-count", ...PLACE, "rake-size"]) $(id).addEventListener("change", () =>
      this.draw());
    this.style = style;
  }

  get kind() { return this.$("rake-kind").value; }

  _hint() {
    if (CLICKED.includes(this.kind) && !this.ready) this.say(this.kind === "spot" ?
      "Click on the body or on a plane: streamlines start round that place." :
      "Click on a part of the body: streamlines start all over it.");
  }

  // Whether a click has said from where, where it must.
  get ready() { return this.kind === "part" ? Boolean(this.clicked.part) : this.kind !== "spot" ||
    value(this.$("rake-x")) === value(this.$("rake-x")); }

  // A click on the body or on a plane; whether something starts there.
  click(at, normal, part) {
    if (!CLICKED.includes(this.kind) || (this.kind === "part" && !part)) return false;
    // A little off the wall, where the air moves.
    const off = part ? 0.01 * this.canvas.size : 0;
    PLACE.forEach((id, k) => { this.$(id).value = short(at[k] + off * normal[k]); });
    if (!this.$("rake-size").value) this.$("rake-size").value = short(0.1 * this.canvas.size);
    this.clicked = { normal: normal.map(short), ...(part ? { part } : {}) };
    this.draw();
    this.changed();
    return true;
  }

  async draw() {
    const { $, canvas } = this, kind = this.kind;
    $("line-style").hidden = !kind;
    $("rake").hidden = !kind || kind === "inflow" || kind === "part";
    if (!kind || !this.ready) { canvas.drop("streams"); this._grips(null); return; }
    // While one answer is on its way only the newest wish is remembered, and what is typed meanwhile stays.
    if (this.busy) { this.again = true; return; }
    this.busy = true;
    await this.guarded(async () => {
      const fields = [...PLACE, "rake-size"], asked = fields.map((name) => $(name).value);
      const query = new URLSearchParams({ kind, count: $("rake-count").value, by: $("rake-by").value });
      const centre = asked.slice(0, 3);
      if (centre.every(Boolean)) query.set("centre", centre.join(","));
      if (asked[3]) query.set("size", asked[3]);
      if (kind === "spot" && this.clicked.normal) query.set("normal", this.clicked.normal.join(","));
      if (kind === "part") query.set("part", this.clicked.part);
      const data = await fetchArrays(`/runs/${this.run}/streams.bin?${query}`);
      if (!$("rake").hidden) [...data.rake.centre, data.rake.size].forEach((v, k) => {
        const field = $(fields[k]);
        if (field.value === asked[k] && document.activeElement !== field) field.value = short(v);
      });
      await canvas.setLines("streams", data);
      this.style();
      this._grips(data.rake);
      this.say(`${data.lengths.length} streamline${data.lengths.length === 1 ? "" : "s"}`);
    });
    this.busy = false;
    if (this.again) { this.again = false; await this.draw(); }
  }

  // Centre, width and the ends of the rake's own axes, as the fields have them.
  _now() {
    return { centre: PLACE.map((id) => value(this.$(id))), size: value(this.$("rake-size")) };
  }

  _across() { return this.kind === "upright" ? [0, 0, 1] : [0, 1, 0]; }

  _ring() {
    const { centre, size } = this._now(), half = 0.5 * size, [x, y, z] = centre;
    if (this.kind === "grid") return [[-1, -1], [1, -1], [1, 1], [-1, 1]].map(([a, b]) => [x, y + a * half,
      z + b * half]);
    if (this.kind === "disc") return Array.from({ length: 48 }, (_, k) => [x, y + half * Math.cos(k *
      Math.PI / 24), z + half * Math.sin(k * Math.PI / 24)]);
    if (this.kind === "spot") return [];
    const way = this._across();
    return [-half, half].map((s) => centre.map((v, k) => v + s * way[k]));
  }

  _grips(rake) {
    const { canvas, grips, $ } = this, moved = () => { canvas.setRing("rake", this._ring());
      clearTimeout(this.later); this.later = setTimeout(() => this.draw(), 120); };
    this.rake = rake;
    if (!rake || $("rake").hidden) { canvas.setRing("rake", []); for (const name of ["rake", "rake-end"])
      grips.drop(name); return; }
    canvas.setRing("rake", this._ring());
    grips.set("rake", { label: "The rake", at: () => this._now().centre, move: (dx, dy) => {
      canvas.shifted(this._now().centre, dx, dy).forEach((v, k) => { $(PLACE[k]).value = short(v); });
      moved();
    }, done: this.changed });
    const end = () => { const { centre, size } = this._now(), way = this._across(); return centre.map((v,
      k) => v + 0.5 * size * way[k]); };
    grips.set("rake-end", { label: "Width of the rake", kind: "end", at: end, move: (dx, dy) => {
      const way = this._across(), { centre } = this._now(), to = canvas.shifted(end(), dx, dy, way);
      const half = to.reduce((sum, v, k) => sum + (v - centre[k]) * way[k], 0);
      $("rake-size").value = short(Math.max(2 * half, 0.004 * canvas.size));
      moved();
    }, done: this.changed });
  }
}
