// A field on a canvas: contours, bands, iso-lines, sonic line, grid and lines, drawn by the graphics card.
import * as THREE from "../vendor/three/three.module.min.js";
import { restyle, ribbons } from "./ribbons.js";
import { coloursOf, format, scaleRow } from "./scale.js";
export { format };

const VERTEX = `
attribute float value; attribute float mach; attribute float along; varying float v; varying float m;
  varying float a;
void main() { v = value; m = mach; a = along;
  gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0); }`;
const FRAGMENT = `
uniform sampler2D colours; uniform float low, high, bands; uniform bool banded, iso, sonic, reversed;
  varying float v; varying float m; varying float a;
float line(float x, float width) { float w = max(fwidth(x), 1e-9);
  return 1.0 - smoothstep(width - 0.5, width + 0.5, abs(fract(x - 0.5) - 0.5) / w); }
void main() {
  float s = clamp((v - low) / (high - low), 0.0, 1.0);
  float shown = banded ? (floor(min(s, 0.99999) * bands) + 0.5) / bands : s;
  vec3 c = texture2D(colours, vec2(shown * 0.99609 + 0.00195, 0.5)).rgb;
  float inside = (v > low && v < high) ? 1.0 : 0.0;
  if (iso) c = mix(c, vec3(0.106, 0.165, 0.184), 0.62 * inside * line((v - low) / (high - low) * bands, 0.7));
  if (sonic) {
    float w = max(fwidth(m), 1e-9), d = abs(m - 1.0) / w;
    c = mix(c, vec3(1.0), 1.0 - smoothstep(1.6, 2.4, d));
    c = mix(c, vec3(0.106, 0.165, 0.184), 1.0 - smoothstep(0.7, 1.4, d));
  }
  if (reversed) {
    // Where the flow runs back: a dotted veil, bounded by the line of no speed along the stream.
    float d = abs(a) / max(fwidth(a), 1e-9);
    if (a < 0.0)
      c = mix(c, vec3(0.659, 0.243, 0.196), 0.28 * step(0.5, fract((gl_FragCoord.x + gl_FragCoord.y) / 6.0)));
    c = mix(c, vec3(0.659, 0.243, 0.196), 1.0 - smoothstep(0.9, 1.7, d));
  }
  gl_FragColor = vec4(c, 1.0);
}`;
// Colours are given as they shall appear; no conversion between colour spaces.
THREE.ColorManagement.enabled = false;
const SECTION_VIEW = { x: 0.52, y: 0, width: 2.1 };
const tables = new Map();

export async function colourTable(name) {
  if (!tables.has(name)) {
    const bytes = new Uint8Array(await (await fetch(`/colours/${name}.bin`)).arrayBuffer());
    const rgba = new Uint8Array(256 * 4);
    for (let k = 0; k < 256; k++) { rgba.set(bytes.subarray(3 * k, 3 * k + 3), 4 * k); rgba[4 * k + 3] = 255;
      }
    const texture = new THREE.DataTexture(rgba, 256, 1);
    texture.minFilter = texture.magFilter = THREE.LinearFilter;
    texture.needsUpdate = true;
    tables.set(name, { texture, bytes });
  }
  return tables.get(name);
}

export class FlowCanvas {
  // holder: element to fill; options: legend (element), quantity, wheel (zoom without a click),
  // onProbe(values or null), onView(view), onLoad(data)
  constructor(holder, options = {}) {
    this.holder = holder;
    this.options = options;
    this.state = { quantity: options.quantity || "mach", banded: false, iso: false, sonic: false, reversed:
      false, grid: false, bands: 24, range: null, map: null };
    this.view = { ...SECTION_VIEW };
    this.lineStyle = { width: 1.2, opacity: 0.9 };
    this.renderer = new THREE.WebGLRenderer({ antialias: true, preserveDrawingBuffer: true });
    this.renderer.setPixelRatio(Math.min(window.devicePixelRatio, 2));
    this.renderer.outputColorSpace = THREE.LinearSRGBColorSpace;
    this.renderer.setClearColor(0xF7F5F0);
    this.canvas = this.renderer.domElement;
    this.canvas.tabIndex = 0;
    this.canvas.setAttribute("aria-label",
      "Picture of the flow. Arrow keys move, plus and minus zoom, F shows the section.");
    holder.prepend(this.canvas);
    this.scene = new THREE.Scene();
    // Everything that belongs to the field; it is moved as one where the field's axes move.
    this.world = new THREE.Group();
    this.scene.add(this.world);
    this.place = null;
    this.camera = new THREE.OrthographicCamera(-1, 1, 1, -1, -10, 10);
    this.layers = {};
    this.material = new THREE.ShaderMaterial({ vertexShader: VERTEX, fragmentShader: FRAGMENT, side:
      THREE.DoubleSide, uniforms: {
      colours: { value: null }, low: { value: 0 }, high: { value: 1 }, bands: { value: 24 }, banded: { value:
        false }, iso: { value: false }, sonic: { value: false }, reversed: { value: false } } });
    new ResizeObserver(() => this.draw()).observe(holder);
    this._listen();
  }

  async load(address) {
    const fresh = !this.data;
    this.data = await this.fetchData(address);
    this.finder = null;
    if (fresh && (this.data.home || this.data.window) && !this.placed) Object.assign(this.view, this._home());
    this.stood = { xy: this.data.xy.slice(), wall: this.data.wall.slice() };
    this.turned = this.data.circles?.map((circle) => circle.angle);
    this._build();
    this.putAt(this.data.place, this.data.turned);
    await this.set({});
    this.options.onLoad?.(this.data);
  }

  // Another moment of the flow on the same grid.
  async showFields(data) {
    this.data.fields = { ...this.data.fields, ...data.fields };
    this.putAt(data.place, data.turned);
    await this.set({});
  }

  async fetchData(address) {
    const answer = await fetch(address);
    if (!answer.ok) throw new Error(await answer.text());
    const buffer = await answer.arrayBuffer();
    const length = new DataView(buffer).getUint32(0, true);
    const head = JSON.parse(new TextDecoder().decode(new Uint8Array(buffer, 4, length)));
    let offset = 4 + length;
    const take = (Kind, count) => { const part = new Kind(buffer, offset, count); offset += 4 * count;
      return part; };
    const data = { ...head, xy: take(Float32Array, head.bare ? 0 : 2 * head.points), tri: take(Uint32Array,
      3 * head.triangles), edge: take(Uint32Array, 2 * head.edges), wall: take(Float32Array,
      2 * head.outline), fields: {} };
    for (const name of head.values) data.fields[name] = take(Float32Array, head.points);
    data.byKey = Object.fromEntries(head.quantities.map((q) => [q.key, q]));
    return data;
  }

  // Where the field's axes stand, as { angle (nose up), pivot, shift }; riding along they stand still.
  // `turned` are the angles of circles that turn in the rest; riding along with the first, the rest turns.
  putAt(place, turned) {
    if (place !== undefined) this.place = place;
    if (turned && this.data.circles?.length) this._turnCircles(turned);
    const circle = this.data?.circles?.[0];
    const along = circle && { angle: this.turned[0] - circle.angle, pivot: circle.centre };
    const moved = circle ? along : this.place, p = !this.state.riding === !circle ? moved : null;
    const c = Math.cos(p?.angle || 0), s = Math.sin(p?.angle || 0);
    const [px, py] = p?.pivot || [0, 0], [dx, dy] = p?.shift || [0, 0];
    this.world.rotation.z = -(p?.angle || 0);
    this.world.position.set(px + dx - c * px - s * py, py + dy + s * px - c * py, 0);
    this.world.updateMatrixWorld();
  }

  _turnCircles(angles) {
    const d = this.data;
    if (angles.every((angle, k) => angle === this.turned[k])) return;
    d.circles.forEach((circle, k) => {
      const c = Math.cos(angles[k] - circle.angle), s = Math.sin(angles[k] - circle.angle);
      const [x, y] = circle.centre;
      const turn = (from, to, begin, end) => { for (let n = begin; n < end; n++) {
        const dx = from[2 * n] - x, dy = from[2 * n + 1] - y;
        to[2 * n] = x + c * dx - s * dy; to[2 * n + 1] = y + s * dx + c * dy;
      } };
      for (const [begin, end] of circle.points) turn(this.stood.xy, d.xy, begin, end);
      const begins = [0];
      for (const count of d.loops) begins.push(begins.at(-1) + count);
      for (const loop of circle.loops) turn(this.stood.wall, d.wall, begins[loop], begins[loop + 1]);
    });
    this.turned = angles;
    this.finder = null;
    this._build();
  }

  // A point of the picture in the field's axes, and back; without the shift for directions.
  toField(x, y) {
    const { x: ox, y: oy } = this.world.position, c = Math.cos(this.world.rotation.z), s =
      Math.sin(this.world.rotation.z);
    return [c * (x - ox) + s * (y - oy), c * (y - oy) - s * (x - ox)];
  }

  // The other way round, and where that lies on the screen, in pixels of the holder.
  toSeen(x, y) {
    const [u, v] = this.direction(x, y);
    return [this.world.position.x + u, this.world.position.y + v];
  }

  placeOf([x, y]) {
    const [left, right, bottom, top] = this.box(), [u, v] = this.toSeen(x, y);
    return [(u - left) / (right - left) * this.holder.clientWidth, (top - v) / (top - bottom) *
      this.holder.clientHeight];
  }

  pointAt([px, py]) {
    const [left, right, bottom, top] = this.box();
    return this.toField(left + px / this.holder.clientWidth * (right - left), top -
      py / this.holder.clientHeight * (top - bottom));
  }

  direction(u, v) {
    const c = Math.cos(this.world.rotation.z), s = Math.sin(this.world.rotation.z);
    return [c * u - s * v, s * u + c * v];
  }

  // The window that is seen, in the field's axes: an upright box that holds it.
  fieldBox() {
    const [left, right, bottom, top] = this.box();
    const corners = [[left, bottom], [left, top], [right, bottom], [right, top]].map(([x, y]) =>
      this.toField(x, y));
    const xs = corners.map((p) => p[0]), ys = corners.map((p) => p[1]);
    return [Math.min(...xs), Math.max(...xs), Math.min(...ys), Math.max(...ys)];
  }

  _build() {
    const d = this.data, position = new Float32Array(3 * d.points);
    for (let k = 0; k < d.points; k++) { position[3 * k] = d.xy[2 * k]; position[3 * k + 1] = d.xy[2 * k + 1];
      }
    const shared = new THREE.BufferAttribute(position, 3);
    const surface = new THREE.BufferGeometry();
    surface.setAttribute("position", shared);
    surface.setIndex(new THREE.BufferAttribute(d.tri, 1));
    this._replace("surface", new THREE.Mesh(surface, this.material), 0);
    const edges = new THREE.BufferGeometry();
    edges.setAttribute("position", shared);
    edges.setIndex(new THREE.BufferAttribute(d.edge, 1));
    this._replace("grid", new THREE.LineSegments(edges, new THREE.LineBasicMaterial({ color: 0x1B2A2F,
      transparent: true, opacity: 0.35 })), 0.1);
    const shapes = [], strokes = [];
    let at = 0;
    for (const count of d.loops || [d.outline]) {
      const wall = [];
      for (let k = at; k < at + count; k++) wall.push(new THREE.Vector2(d.wall[2 * k], d.wall[2 * k + 1]));
      at += count;
      shapes.push(new THREE.Shape(wall));
      wall.forEach((point, k) => strokes.push(point, wall[(k + 1) % count]));
    }
    this._replace("body", new THREE.Mesh(new THREE.ShapeGeometry(shapes), new THREE.MeshBasicMaterial({ color:
      0xF7F5F0, side: THREE.DoubleSide })), 0.3);
    this._replace("outline", new THREE.LineSegments(new THREE.BufferGeometry().setFromPoints(strokes),
      new THREE.LineBasicMaterial({ color: 0x1B2A2F })), 0.4);
  }

  _replace(name, object, z) {
    const old = this.layers[name];
    if (old) { this.world.remove(old); old.geometry?.dispose(); }
    this.layers[name] = object;
    if (object) { object.position.z = z; object.frustumCulled = false; this.world.add(object); }
  }

  // Change what is shown; answers when it is drawn.
  async set(change) {
    Object.assign(this.state, change);
    const s = this.state, d = this.data;
    if (!d) return;
    const q = d.byKey[s.quantity];
    for (const [name, field] of [["mach", "mach"], ["along", "u"]]) {
      if (this.layers.surface.geometry.getAttribute(name)?.array !== d.fields[field])
        this.layers.surface.geometry.setAttribute(name,
        new THREE.BufferAttribute(d.fields[field], 1));
    }
    this.layers.surface.geometry.setAttribute("value", new THREE.BufferAttribute(d.fields[s.quantity], 1));
    const [low, high] = this.range();
    const u = this.material.uniforms;
    const table = await colourTable(s.map || q.map);
    Object.assign(u.low, { value: low }); Object.assign(u.high, { value: high });
    // An odd number of bands keeps small noise about the neutral value inside one band.
    this.bands = s.bands + (q.diverging && s.bands % 2 === 0 ? 1 : 0);
    u.colours.value = table.texture; u.bands.value = this.bands; u.banded.value = s.banded; u.iso.value =
      s.iso; u.sonic.value = s.sonic; u.reversed.value = s.reversed;
    this.layers.grid.visible = s.grid;
    this.draw();
    this._legend(q, low, high, table.bytes);
  }

  range() { return this.state.range || this.data.byKey[this.state.quantity].range; }

  _legend(q, low, high, bytes) {
    const box = this.options.legend;
    if (!box) return;
    const s = this.state;
    scaleRow(box, q.label + (q.unit ?
      `, ${q.unit}` : ""), { low, high, bytes, bands: s.banded ? this.bands : 0 },
      `map ${s.map || q.map}${s.banded ? `, ${this.bands} bands` : ""}, ${this.data.level} grid`);
  }

  // Lines on top: streamlines in white, or by their values of a field in its own range and map; arrows.
  async setStreamlines(lines, values = null, key = "") {
    const points = [], ends = [];
    lines.forEach((line, n) => { for (let k = 1; k < line.length; k++) {
      points.push(line[k - 1][0], line[k - 1][1], 0, line[k][0], line[k][1], 0);
      if (values) ends.push(values[n][k - 1], values[n][k]);
    } });
    const q = values ? this.data.byKey[key] : null;
    const table = q && await colourTable(q.map), colours = q && coloursOf(ends, q.range, table.bytes);
    this._replace("streamlines", points.length ? ribbons(points, colours, this.lineStyle) : null, 0.2);
    this.draw();
    this._lineLegend(q, table?.bytes);
  }

  // Lines of points [x, y] in ink.
  setPaths(name, lines, style) {
    const ends = lines.flatMap((line) => line.slice(1).flatMap((point, k) => [...line[k], 0, ...point, 0]));
    this._replace(name, ends.length ? ribbons(ends, null, { ...style, colour: [0.106, 0.165, 0.184] }) : null,
      0.22);
    this.draw();
  }

  // Their width in pixels and their opacity.
  styleLines(style) {
    this.lineStyle = style;
    for (const name of ["streamlines", "streaks"]) restyle(this.layers[name], style);
    this.draw();
  }

  _lineLegend(q, bytes) {
    const box = this.options.lineLegend;
    if (!box) return;
    box.hidden = !q;
    if (q) scaleRow(box, `lines: ${q.label}${q.unit ? `, ${q.unit}` : ""}`, { low: q.range[0], high:
      q.range[1], bytes, bands: 0 }, `map ${q.map}`);
  }

  // A line of the field between two points [x, y] each, or none.
  setPath(points, name = "path", colour = 0xA63D2F) {
    this._lines(name, points.flatMap(([x, y]) => [x, y, 0]), colour);
  }

  // Arrows; the speed of the longest stands in the holder of their legend.
  setVectors(start, velocity, length, fastest = 0) {
    const legend = this.options.arrowLegend;
    if (legend) {
      legend.hidden = !start.length;
      legend.textContent = `longest arrow ${format(fastest, 3)} m/s`;
    }
    const points = [];
    start.forEach(([x, y], k) => {
      const dx = velocity[k][0] * length, dy = velocity[k][1] * length, tx = x + dx, ty = y + dy;
      points.push(x, y, 0, tx, ty, 0, tx, ty, 0, tx - 0.28 * dx + 0.13 * dy, ty - 0.28 * dy - 0.13 * dx, 0,
        tx, ty, 0, tx - 0.28 * dx - 0.13 * dy, ty - 0.28 * dy + 0.13 * dx, 0);
    });
    this._lines("vectors", points, 0x1B2A2F);
  }

  _lines(name, points, colour) {
    const geometry = new THREE.BufferGeometry();
    geometry.setAttribute("position", new THREE.Float32BufferAttribute(points, 3));
    this._replace(name, points.length ? new THREE.LineSegments(geometry, new THREE.LineBasicMaterial({ color:
      colour, transparent: true, opacity: 0.9 })) : null, 0.2);
    this.draw();
  }

  box() {
    const ratio = this.holder.clientHeight / Math.max(this.holder.clientWidth, 1), v = this.view;
    return [v.x - v.width / 2, v.x + v.width / 2, v.y - v.width * ratio / 2, v.y + v.width * ratio / 2];
  }

  draw() {
    const w = this.holder.clientWidth, h = this.holder.clientHeight;
    if (!w || !h) return;
    const ratio = this.renderer.getPixelRatio();
    if (this.canvas.width !== Math.floor(w * ratio) ||
      this.canvas.height !== Math.floor(h * ratio)) this.renderer.setSize(w, h, false);
    const [left, right, bottom, top] = this.box();
    Object.assign(this.camera, { left, right, bottom, top });
    this.camera.updateProjectionMatrix();
    this.renderer.render(this.scene, this.camera);
    this.onDraw?.();
  }

  look(view, tell = true) {
    this.placed = true;
    Object.assign(this.view, view);
    this.view.width = Math.min(Math.max(this.view.width, 1e-4), 1200);
    this.draw();
    if (tell) this.options.onView?.(this.view);
  }

  // The view to begin with: what the field says, or that of a section.
  _home() {
    const box = this.data?.home || this.data?.window;
    if (!box) return SECTION_VIEW;
    const [left, right, bottom, top] = box, shape =
      Math.max(this.canvas.clientWidth / Math.max(this.canvas.clientHeight, 1), 0.5);
    return { x: 0.5 * (left + right), y: 0.5 * (bottom + top), width: Math.max(right - left,
      (top - bottom) * shape) };
  }

  go(name) {
    const v = this.view, home = this._home(), [x0, x1, y0, y1] = this.data?.home || [0, 0, 0, 0];
    const views = { fit: home, in: { width: v.width / 1.5 }, out: { width: v.width * 1.5 }, nose: { x: 0.03,
      y: 0, width: 0.28 }, tail: { x: 0.98, y: this._tail(), width: 0.28 }, all: { x: 0.5, y: 0, width:
      115 } };
    if (this.data?.home) Object.assign(views, { nose: { x: x0 + 0.25 * (x1 - x0), y: 0, width:
      0.5 * (x1 - x0) }, tail: { x: x1 - 0.25 * (x1 - x0), y: 0, width: 0.5 * (x1 - x0) }, all: { ...home,
      width: 3 * home.width } });
    if (views[name]) this.look(views[name]);
  }

  _tail() {
    let best = [-Infinity, 0];
    for (let k = 0; k < (this.data?.outline || 0); k++) if (this.data.wall[2 * k] > best[0]) best =
      [this.data.wall[2 * k], this.data.wall[2 * k + 1]];
    return best[1];
  }

  toWorld(event) {
    const r = this.canvas.getBoundingClientRect(), [left, right, bottom, top] = this.box();
    return [left + (event.clientX - r.left) / r.width * (right - left),
      top - (event.clientY - r.top) / r.height * (top - bottom)];
  }

  _listen() {
    let drag = null;
    this.canvas.addEventListener("pointerdown", (e) => { drag = { at: this.toWorld(e), x: e.clientX, y:
      e.clientY }; this.canvas.setPointerCapture(e.pointerId); this.canvas.classList.add("dragging"); });
    this.canvas.addEventListener("pointerup", (e) => { if (drag && Math.hypot(e.clientX - drag.x,
      e.clientY - drag.y) < 4) this.options.onPick?.(...this.toField(...this.toWorld(e))); drag = null;
      this.canvas.classList.remove("dragging"); });
    this.canvas.addEventListener("pointermove", (e) => {
      const at = this.toWorld(e);
      if (drag) this.look({ x: this.view.x + drag.at[0] - at[0], y: this.view.y + drag.at[1] - at[1] });
      else this.options.onProbe?.(this.probe(at[0], at[1]));
    });
    this.canvas.addEventListener("wheel", (e) => {
      // On a page that scrolls, the wheel belongs to the page until the picture has been clicked.
      if (!this.options.wheel && document.activeElement !== this.canvas) return;
      e.preventDefault();
      const [x, y] = this.toWorld(e), f = Math.exp(Math.max(-1, Math.min(1, e.deltaY / 240)));
      this.look({ x: x + (this.view.x - x) * f, y: y + (this.view.y - y) * f, width: this.view.width * f });
    }, { passive: false });
    this.canvas.addEventListener("keydown", (e) => {
      const step = 0.08 * this.view.width;
      const moves = { ArrowLeft: { x: this.view.x - step }, ArrowRight: { x: this.view.x + step }, ArrowUp: {
        y: this.view.y + step }, ArrowDown: { y: this.view.y - step } };
      const views = { "+": "in", "=": "in", "-": "out", f: "fit", n: "nose", t: "tail", a: "all" };
      if (moves[e.key]) this.look(moves[e.key]);
      else if (views[e.key.toLowerCase()]) this.go(views[e.key.toLowerCase()]);
      else return;
      e.preventDefault();
      this.options.onProbe?.(this.probe(this.view.x, this.view.y));
    });
  }

  // Values at a point of the picture.
  probe(seenX, seenY) {
    const found = this.data && this.valuesAt(...this.toField(seenX, seenY));
    return found && { x: seenX, y: seenY, ...found };
  }

  // Values at a point of the field: the triangle under it is found with a coarse raster of triangle lists.
  valuesAt(x, y) {
    const d = this.data;
    this.finder ||= this._raster();
    const f = this.finder, i = f.index(x, y);
    for (const t of f.cells.get(i) || []) {
      const [a, b, c] = [d.tri[3 * t], d.tri[3 * t + 1], d.tri[3 * t + 2]];
      const ax = d.xy[2 * a], ay = d.xy[2 * a + 1], bx = d.xy[2 * b] - ax, by = d.xy[2 * b + 1] - ay, cx =
        d.xy[2 * c] - ax, cy = d.xy[2 * c + 1] - ay;
      const det = bx * cy - cx * by, px = x - ax, py = y - ay, u = (px * cy - cx * py) / det, w =
        (bx * py - px * by) / det;
      if (u >= -1e-9 && w >= -1e-9 && u + w <= 1 + 1e-9) {
        const out = {};
        for (const name of d.values) { const v = d.fields[name]; out[name] = v[a] * (1 - u - w) + v[b] * u +
          v[c] * w; }
        if ("u" in out && "v" in out) [out.u, out.v] = this.direction(out.u, out.v);
        return out;
      }
    }
    return null;
  }

  _raster() {
    // Cells of the raster shrink towards the section: its index works on a logarithmic scale.
    const d = this.data, cells = new Map();
    const bend = (s) => Math.sign(s) * Math.log1p(Math.abs(s) * 40);
    const column = (x) => Math.floor(bend(x - 0.5) * 12), row = (y) => Math.floor(bend(y) * 12);
    for (let t = 0; t < d.triangles; t++) {
      let x0 = Infinity, x1 = -Infinity, y0 = Infinity, y1 = -Infinity;
      for (let k = 0; k < 3; k++) { const n = d.tri[3 * t + k], x = d.xy[2 * n], y = d.xy[2 * n + 1]; x0 =
        Math.min(x0, x); x1 = Math.max(x1, x); y0 = Math.min(y0, y); y1 = Math.max(y1, y); }
      for (let i = column(x0); i <= column(x1); i++) for (let j = row(y0); j <= row(y1); j++) {
        const key = i * 4096 + j;
        if (!cells.has(key)) cells.set(key, []);
        cells.get(key).push(t);
      }
    }
    return { cells, index: (x, y) => column(x) * 4096 + row(y) };
  }
}
