// Values along a straight line through the picture: placed by two clicks or typed, drawn, and taken away.
import { drawAlong } from "./charts.js";
import { saveTable } from "./save.js";
import { format, numbersIn } from "./scale.js";

const POINTS = 301;

export class Along {
  // view: FlowCanvas; get(id): an element of the page; done(): both ends are placed.
  // grips: Grips over the picture.
  constructor(view, get, grips, done) {
    Object.assign(this, { view, get, grips, done, ends: [null, null] });
    for (const k of [0, 1]) get(`line-${k}`).addEventListener("change", (event) => {
      this.ends[k] = numbersIn(event.target.value, 2);
      event.target.classList.toggle("is-invalid", event.target.value.trim() !== "" && !this.ends[k]);
    });
    get("line-csv").addEventListener("click", () => this._save());
  }

  // A click in the picture: the first end, then the other one.
  click(x, y) {
    if (this.ends[0] && !this.ends[1]) { this.ends[1] = [x, y]; } else { this.ends = [[x, y], null]; }
    this._write();
    if (this.ends[1]) this.done(); else this.show();
  }

  read(text) {
    const numbers = text.split(",").map(Number);
    if (numbers.length !== 4 || !numbers.every(Number.isFinite)) return;
    this.ends = [numbers.slice(0, 2), numbers.slice(2)];
    this._write();
  }

  text() {
    return this.ends.every(Boolean) ? this.ends.flat().map((v) => Number(v.toPrecision(5))).join(",") : "";
  }

  _write() {
    this.ends.forEach((end, k) => {
      this.get(`line-${k}`).value = end ? end.map((v) => format(v)).join(", ") : "";
    });
  }

  // Rows of { s, values } at even distances; values are none inside bodies.
  _rows() {
    const [a, b] = this.ends, length = Math.hypot(b[0] - a[0], b[1] - a[1]);
    return Array.from({ length: POINTS }, (_, k) => {
      const t = k / (POINTS - 1), at = [a[0] + t * (b[0] - a[0]), a[1] + t * (b[1] - a[1])];
      return { s: t * length, at, values: this.view.valuesAt(...at) };
    });
  }

  show() {
    const placed = this.ends.every(Boolean), chart = this.get("along");
    chart.hidden = this.get("line-csv").hidden = !placed;
    this.view.setPath(placed ? this.ends : []);
    this.ends.forEach((end, k) => {
      if (!end) { this.grips.drop(`line-${k}`); return; }
      this.grips.set(`line-${k}`, { label: `${k ? "Second" : "First"} end of the line`, kind: "end red", at:
        () => this.ends[k], move: (dx, dy, from, to) => {
        this.ends[k] = this.view.pointAt(to);
        this._write();
        this.view.setPath(this.ends.every(Boolean) ? this.ends : []);
      }, done: this.done });
    });
    if (!placed || !this.view.data) return;
    const key = this.get("quantity").value, q = this.view.data.byKey[key], rows = this._rows();
    drawAlong(chart, rows.map((r) => r.s), rows.map((r) => r.values?.[key] ?? null), q, this.view.data.home ?
      "m" : "chords");
  }

  _save() {
    const names = this.view.data.quantities.map((q) => q.key);
    saveTable(["s", "x", "y", ...names], this._rows().map((row) => [row.s, ...row.at, ...names.map((name) =>
      row.values?.[name] ?? null)]), "line.csv");
  }
}
