// Values along a line through the air round a body: placed by two clicks or typed, moved by grips, drawn,
// taken away.
import { drawAlong } from "./charts.js";
import { saveTable } from "./save.js";
import { numbersIn } from "./scale.js";

const NEAR = 120, short = (v) => Number(v.toPrecision(4));

export class SpaceLine {
  // canvas: BodyCanvas; $(id): an element of the page; grips: Grips.
  constructor(canvas, $, grips, run, { guarded, changed }) {
    Object.assign(this, { canvas, $, grips, run, guarded, changed, placing: 0, data: null, later: 0 });
    for (const k of [0, 1]) $(`along-${k}`).addEventListener("change", (event) => {
      event.target.classList.toggle("is-invalid", event.target.value.trim() !== "" && !this._end(k));
      this.show();
    });
    $("along-of").addEventListener("change", () => this._draw());
    $("along-place").addEventListener("click", () => this._place(2));
    $("along-csv").addEventListener("click", () => this._save());
  }

  _place(left) {
    this.placing = left;
    this.$("along-place").setAttribute("aria-pressed", String(left > 0));
  }

  // A click on the body or on a plane; whether it placed an end.
  click(at) {
    if (!this.placing) return false;
    if (this.placing === 2) this.$("along-1").value = "";
    this._write(2 - this.placing, at);
    this._place(this.placing - 1);
    this.show();
    this.changed();
    return true;
  }

  _write(k, at) { this.$(`along-${k}`).value = at.map(short).join(", "); }

  _end(k) { return numbersIn(this.$(`along-${k}`).value, 3); }

  _grips() {
    const ends = [this._end(0), this._end(1)];
    this.canvas.setRing("along", ends.every(Boolean) ? ends : []);
    ends.forEach((end, k) => {
      if (!end) { this.grips.drop(`along-${k}`); return; }
      this.grips.set(`along-${k}`, { label: `${k ? "Second" : "First"} end of the line`, kind: "end red", at:
        () => this._end(k), move: (dx, dy) => {
        this._write(k, this.canvas.shifted(this._end(k), dx, dy));
        this.canvas.setRing("along", [this._end(0), this._end(1)].filter(Boolean));
        clearTimeout(this.later);
        this.later = setTimeout(() => this.show(), NEAR);
      }, done: this.changed });
    });
    return ends;
  }

  async show() {
    const [from, to] = this._grips(), placed = Boolean(from && to), { $ } = this;
    $("along").hidden = $("along-csv").hidden = !placed;
    if (!placed) return;
    await this.guarded(async () => {
      const query = new URLSearchParams({ from: from.join(","), to: to.join(",") });
      const answer = await fetch(`/runs/${this.run}/along.json?${query}`);
      if (!answer.ok) throw new Error(await answer.text());
      this.data = await answer.json();
      this._draw();
    });
  }

  _draw() {
    if (!this.data) return;
    const q = this.data.quantities.find((one) => one.key === this.$("along-of").value);
    drawAlong(this.$("along"), this.data.s, q.values, q, "m");
  }

  _save() {
    const { s, points, quantities } = this.data;
    saveTable(["s", "x", "y", "z", ...quantities.map((q) => q.key)], s.map((at, k) => [at, ...points[k],
      ...quantities.map((q) => q.values[k])]), "line.csv");
  }
}
