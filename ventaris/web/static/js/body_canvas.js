// A body in space: its surface with readings, cut planes, lines and iso-surfaces, turned by hand.
import * as THREE from "../vendor/three/three.module.min.js";
import { restyle, ribbons } from "./ribbons.js";
import { coloursOf, format, paint, scaleRow } from "./scale.js";
import { material } from "./surface_material.js";
import { colourTable } from "./viewer.js";

THREE.ColorManagement.enabled = false;
const UP = new THREE.Vector3(0, 0, 1);
// Directions from which the camera looks, as seen from the body.
const VIEWS = { corner: [-1.25, -1.5, 0.75], behind: [1.3, -1.3, 0.7], left: [0, -1, 0], right: [0, 1, 0],
  front: [-1, 0, 0], back: [1, 0, 0], top: [0, -0.001, 1], below: [0, -0.001, -1] };

export async function fetchArrays(address) {
  const answer = await fetch(address);
  if (!answer.ok) throw new Error(await answer.text());
  return arraysOf(await answer.arrayBuffer());
}

function arraysOf(buffer) {
  const length = new DataView(buffer).getUint32(0, true);
  const head = JSON.parse(new TextDecoder().decode(new Uint8Array(buffer, 4, length)));
  let offset = 4 + length;
  for (const part of head.arrays) {
    head[part.name] = new (part.kind === "u4" ? Uint32Array : Float32Array)(buffer, offset, part.count);
    offset += 4 * part.count;
  }
  return head;
}

export class BodyCanvas {
  // options: legend (element), onView(camera state), onLoad(data), wheel
  constructor(holder, options = {}) {
    this.holder = holder;
    this.options = options;
    this.state = { quantity: "cp", mapped: true, banded: false, bands: 24, range: null, map: null, clip: null,
      ground: true };
    // How long arrows are, over their usual length.
    this.arrows = 1;
    this.lineStyle = { width: 1.4, opacity: 1 };
    this.renderer = new THREE.WebGLRenderer({ antialias: true, preserveDrawingBuffer: true });
    this.renderer.setPixelRatio(Math.min(window.devicePixelRatio, 2));
    this.renderer.outputColorSpace = THREE.LinearSRGBColorSpace;
    this.renderer.setClearColor(0xF7F5F0);
    this.canvas = this.renderer.domElement;
    this.canvas.tabIndex = 0;
    this.canvas.setAttribute("aria-label",
      "The body in space. Drag to turn, drag with the right button or shift to move, "
        + "wheel or plus and minus to come closer; arrow keys turn.");
    holder.prepend(this.canvas);
    this.scene = new THREE.Scene();
    this.camera = new THREE.PerspectiveCamera(28, 1, 0.01, 1000);
    this.layers = new Map();
    this.view = { target: [0, 0, 0], direction: VIEWS.corner, distance: 5 };
    this.parts = new Map();
    this._listen();
    new ResizeObserver(() => this.draw()).observe(holder);
  }

  // From an address, or from the bytes of an answer.
  async load(source) {
    const first = !this.data, before = this.data && { size: this.size, middle: this.middle };
    this.data = source instanceof ArrayBuffer ? arraysOf(source) : await fetchArrays(source);
    this._build();
    if (first) this.go("corner", false);
    // A body that became much larger or smaller (another unit), or moved away, is looked for again.
    else if (this.size > 1.6 * before.size || this.size < before.size / 1.6 ||
      Math.hypot(...this.middle.map((v, k) => v - before.middle[k])) > 0.6 * this.size) this._fit();
    await this.set({});
    this.options.onLoad?.(this.data);
  }

  get box() { return this.data.box; }
  get size() { const [a, b] = this.box; return Math.max(...b.map((v, k) => v - a[k])); }
  get middle() { const [a, b] = this.box; return a.map((v, k) => 0.5 * (v + b[k])); }

  _build() {
    const d = this.data;
    for (const [, mesh] of this.parts) { this.scene.remove(mesh); mesh.geometry.dispose(); }
    const before = this.parts;
    this.parts = new Map();
    const position = new THREE.BufferAttribute(d.points, 3), normal = new THREE.BufferAttribute(d.normals, 3);
    for (const [name, start, count] of d.groups) {
      const geometry = new THREE.BufferGeometry();
      geometry.setAttribute("position", position);
      geometry.setAttribute("normal", normal);
      geometry.setIndex(new THREE.BufferAttribute(d.triangles.subarray(3 * start, 3 * (start + count)), 1));
      const mesh = new THREE.Mesh(geometry, before.get(name)?.material || material());
      mesh.visible = before.get(name)?.visible ?? true;
      mesh.frustumCulled = false;
      this.parts.set(name, mesh);
      this.scene.add(mesh);
    }
  }

  // Change what is shown; answers when it is drawn.
  async set(change) {
    Object.assign(this.state, change);
    const s = this.state, d = this.data;
    if (!d) return;
    const q = d.quantities?.find((item) => item.key === s.quantity) || d.quantities?.[0];
    const mapped = s.mapped && Boolean(q);
    const table = q ? await colourTable(s.map || q.map) : null;
    const [low, high] = s.range || q?.range || [0, 1];
    const values = mapped ? new THREE.BufferAttribute(d[q.key], 1) : null;
    const clip = s.clip ? new THREE.Vector4(...s.clip) : null;
    for (const [, mesh] of this.parts) {
      const u = mesh.material.uniforms;
      if (values) mesh.geometry.setAttribute("value", values);
      u.mapped.value = mapped; u.low.value = low; u.high.value = high; u.banded.value = s.banded;
        u.bands.value = s.bands;
      if (table) u.colours.value = table.texture;
      u.clipped.value = Boolean(clip);
      if (clip) u.cut.value = clip;
    }
    if (mapped) this.legend("surface", q, low, high, table.bytes);
    else this.legend("surface", null);
    this.draw();
  }

  // A part in a colour of its own, where nothing is mapped on it.
  tint(name, colour) {
    this.parts.get(name)?.material.uniforms.plain.value.set(colour);
    this.draw();
  }

  fade(name, opacity) {
    const mesh = this.parts.get(name);
    if (!mesh) return;
    mesh.visible = opacity > 0;
    mesh.material.transparent = opacity < 1;
    mesh.material.depthWrite = opacity >= 1;
    mesh.material.uniforms.fade.value = opacity;
    this.draw();
  }

  legend(name, q, low, high, bytes) {
    const box = this.options.legend;
    if (!box) return;
    let row = box.querySelector(`[data-of="${name}"]`);
    if (!q) { row?.remove(); return; }
    if (!row) { row = document.createElement("div"); row.dataset.of = name; row.className = "legend-row";
      box.append(row); }
    const what =
      (name === "surface" ? "on the body: " : name === "iso" ? "iso-surface: "
        : name.startsWith("plane") ? "plane: " : "")
      + q.label + (q.unit ? `, ${q.unit}` : "");
    row.scale = { what, low, high, bytes, bands: this.state.banded ? this.state.bands : 0 };
    scaleRow(row, what, row.scale, name === "surface" && this.data.level ? `${this.data.level} grid` : "");
  }

  _layer(name, object) {
    const old = this.layers.get(name);
    if (old) { this.scene.remove(old); old.geometry?.dispose(); }
    this.layers.delete(name);
    if (object) { object.frustumCulled = false; this.layers.set(name, object); this.scene.add(object); }
    this.draw();
  }

  drop(name) { this._layer(name, null); this._layer(`${name}-vectors`, null); this.legend(name, null); }

  // A cut plane from the server, with its own range; `lines` says whether it has iso-lines and a sonic line.
  async setPlane(name, data, range, vectors, lines = {}) {
    const table = await colourTable(data.quantity.map);
    const [low, high] = range || data.quantity.range;
    const geometry = new THREE.BufferGeometry();
    geometry.setAttribute("position", new THREE.BufferAttribute(data.points, 3));
    geometry.setAttribute("normal", new THREE.BufferAttribute(new Float32Array(data.points.length), 3));
    geometry.setAttribute("value", new THREE.BufferAttribute(data.values, 1));
    geometry.setAttribute("mach", new THREE.BufferAttribute(data.mach, 1));
    geometry.setIndex(new THREE.BufferAttribute(data.triangles, 1));
    const look = material({ lit: 0 });
    look.uniforms.iso.value = Boolean(lines.iso);
    look.uniforms.sonic.value = Boolean(lines.sonic);
    // Arrows lie in the plane: it stands back a little, or they would show in stripes.
    Object.assign(look, { polygonOffset: true, polygonOffsetFactor: 2, polygonOffsetUnits: 8 });
    Object.assign(look.uniforms.low, { value: low }); Object.assign(look.uniforms.high, { value: high });
    look.uniforms.colours.value = table.texture; look.uniforms.banded.value = this.state.banded;
      look.uniforms.bands.value = this.state.bands;
    this._layer(name, new THREE.Mesh(geometry, look));
    this.legend(name, data.quantity, low, high, table.bytes);
    this._layer(`${name}-vectors`, vectors ? this._arrows(data) : null);
  }

  // One arrow for each square of a raster over the plane: that at the point nearest to the square's middle.
  _raster(data) {
    const n = new THREE.Vector3(...data.normal), e1 = new THREE.Vector3(0, 0, 1).cross(n), e2 =
      new THREE.Vector3();
    if (e1.lengthSq() < 1e-6) e1.set(1, 0, 0);
    e1.normalize(); e2.crossVectors(n, e1).normalize();
    const used = [...new Set(data.triangles)], at = used.map((i) => {
      const [x, y, z] = data.points.subarray(3 * i, 3 * i + 3);
      return [e1.x * x + e1.y * y + e1.z * z, e2.x * x + e2.y * y + e2.z * z];
    });
    let area = 1;
    for (const a of [0, 1]) {
      let low = Infinity, high = -Infinity;
      for (const p of at) { low = Math.min(low, p[a]); high = Math.max(high, p[a]); }
      area *= Math.max(high - low, 1e-9);
    }
    const step = Math.sqrt(area / 1500), best = new Map();
    at.forEach(([u, v], k) => {
      const a = Math.floor(u / step), b = Math.floor(v / step), key = `${a},${b}`, away = Math.hypot(u - (a +
        0.5) * step, v - (b + 0.5) * step), held = best.get(key);
      if (!held || away < held[1]) best.set(key, [used[k], away]);
    });
    return [...best.values()].map(([i]) => i);
  }

  _arrows(data) {
    const points = [], length = 0.05 * this.size * this.arrows;
    for (const i of this._raster(data)) {
      const p = [...data.points.subarray(3 * i, 3 * i + 3)], v = [...data.velocity.subarray(3 * i, 3 * i +
        3)].map((x) => x * length);
      const tip = p.map((x, a) => x + v[a]), side =
        new THREE.Vector3(...v).cross(new THREE.Vector3(...data.normal)).multiplyScalar(0.14);
      const back = tip.map((x, a) => x - 0.28 * v[a]);
      points.push(...p, ...tip, ...tip, back[0] + side.x, back[1] + side.y, back[2] + side.z, ...tip,
        back[0] - side.x, back[1] - side.y, back[2] - side.z);
    }
    return this._thin(points, 0x1B2A2F);
  }

  // Lines from the server; with `ink` in one colour, else by the field they carry, or by speed.
  async setLines(name, data, ink = null) {
    const segments = [], values = [];
    let at = 0;
    for (const count of data.lengths) {
      for (let k = at + 1; k < at + count; k++) {
        segments.push(data.points[3 * k - 3], data.points[3 * k - 2], data.points[3 * k - 1],
          data.points[3 * k], data.points[3 * k + 1], data.points[3 * k + 2]);
        values.push(data.speed[k - 1], data.speed[k]);
      }
      at += count;
    }
    if (ink !== null) { this._layer(name, this._thin(segments, ink)); return; }
    const shown = data.quantity || { label: "velocity over the stream's", map: "lapaz", range: [0, 1.4] };
    const table = await colourTable(shown.map);
    this._layer(name, ribbons(segments, coloursOf(values, shown.range, table.bytes), this.lineStyle));
    this.legend(name, { ...shown, label: `streamlines: ${shown.label}` }, ...shown.range, table.bytes);
  }

  // Width of streamlines in pixels, and their opacity.
  styleLines(style) {
    this.lineStyle = style;
    restyle(this.layers.get("streams"), style);
    this.draw();
  }

  _thin(ends, colour, opacity = 1) {
    const geometry = new THREE.BufferGeometry();
    geometry.setAttribute("position", new THREE.Float32BufferAttribute(ends, 3));
    return new THREE.LineSegments(geometry, new THREE.LineBasicMaterial({ color: colour, transparent:
      opacity < 1, opacity }));
  }

  // The box of air that was computed, or none.
  setDomain(box) {
    if (!box) { this._layer("domain", null); return; }
    const corner = (k) => [0, 1, 2].map((a) => box[(k >> a) & 1][a]), ends = [];
    for (let k = 0; k < 8; k++) for (const a of [0, 1, 2]) if (!((k >> a) & 1)) ends.push(...corner(k),
      ...corner(k | (1 << a)));
    this._layer("domain", this._thin(ends, 0x5B676B, 0.8));
  }

  // A closed line of points, as rakes and meters have it, or none.
  setRing(name, points) {
    const ends = points.flatMap((p, k) => [...p, ...points[(k + 1) % points.length]]);
    this._layer(name, points.length > 1 ? this._thin(ends, 0xC77700) : null);
  }

  async setIso(data) {
    if (data.empty) { this.drop("iso"); return false; }
    const geometry = new THREE.BufferGeometry();
    geometry.setAttribute("position", new THREE.BufferAttribute(data.points, 3));
    geometry.setAttribute("normal", new THREE.BufferAttribute(data.normals, 3));
    geometry.setAttribute("value", new THREE.BufferAttribute(data.values, 1));
    geometry.setIndex(new THREE.BufferAttribute(data.triangles, 1));
    const table = await colourTable(data.quantity.map), look = material();
    const [low, high] = data.quantity.range;
    look.uniforms.colours.value = table.texture;
    look.uniforms.low.value = low; look.uniforms.high.value = high;
    this._layer("iso", new THREE.Mesh(geometry, look));
    this.legend("iso", { ...data.quantity, label: `iso-surface: ${data.quantity.label}` }, low, high,
      table.bytes);
    return true;
  }

  setGround(z, along) {
    if (z === null) { this._layer("ground", null); return; }
    const [a, b] = this.box, s = this.size;
    const points = [];
    for (let k = 0; k <= 20; k++) {
      const x = a[0] - s + k * (b[0] - a[0] + 2 * s) / 20, y0 = this.middle[1] - 1.2 * s, y1 =
        this.middle[1] + 1.2 * s;
      points.push(x, y0, z, x, y1, z);
    }
    for (const y of [this.middle[1] - 1.2 * s, this.middle[1] + 1.2 * s]) points.push(a[0] - s, y, z, b[0] +
      s, y, z);
    this._layer("ground", this._thin(points, along ? 0xA86A1E : 0x9A9484, 0.5));
  }

  go(name, tell = true) {
    if (!VIEWS[name] && name !== "fit") return;
    if (VIEWS[name]) this.view.direction = [...VIEWS[name]];
    this._fit();
    if (tell) this.options.onView?.(this.view);
  }

  // The whole body in the middle, from where the camera looks.
  _fit() {
    this.view.target = this.middle;
    const [a, b] = this.box, radius = 0.5 * Math.hypot(...b.map((v, k) => v - a[k]));
    this.view.distance = 1.12 * radius / Math.sin(0.5 * this.camera.fov * Math.PI / 180);
    this.draw();
  }

  look(view, tell = true) {
    Object.assign(this.view, view);
    this.draw();
    if (tell) this.options.onView?.(this.view);
  }

  draw() {
    const w = this.holder.clientWidth, h = this.holder.clientHeight;
    if (!w || !h || !this.data) return;
    const ratio = this.renderer.getPixelRatio();
    if (this.canvas.width !== Math.floor(w * ratio) ||
      this.canvas.height !== Math.floor(h * ratio)) this.renderer.setSize(w, h, false);
    const v = this.view, away = new THREE.Vector3(...v.direction).normalize();
    this.camera.aspect = w / h;
    const distance = v.distance * Math.max(1, 0.9 / this.camera.aspect);
    this.camera.near = distance / 200; this.camera.far = distance * 40;
    this.camera.position.set(...v.target).addScaledVector(away, distance);
    this.camera.up.copy(UP);
    this.camera.lookAt(...v.target);
    this.camera.updateProjectionMatrix();
    this.renderer.render(this.scene, this.camera);
    this.onDraw?.();
  }

  // Where a point lies on the screen, in pixels of the holder; null behind the camera.
  placeOf(point) {
    this.camera.updateMatrixWorld();
    const p = new THREE.Vector3(...point).project(this.camera);
    return p.z > 1 ? null : [0.5 * (1 + p.x) * this.holder.clientWidth, 0.5 * (1 - p.y) *
      this.holder.clientHeight];
  }

  // The point moved by pixels, across the line of sight; or along a direction, as far as it follows them.
  shifted(point, dx, dy, along = null) {
    const from = new THREE.Vector3(...point);
    if (!along) {
      const seen = from.clone().project(this.camera);
      seen.x += 2 * dx / this.holder.clientWidth;
      seen.y -= 2 * dy / this.holder.clientHeight;
      return seen.unproject(this.camera).toArray();
    }
    const small = 0.01 * this.size, a = this.placeOf(point), b = this.placeOf(point.map((v, k) => v + small *
      along[k]));
    if (!a || !b) return point;
    const way = [b[0] - a[0], b[1] - a[1]], length = Math.max(way[0] ** 2 + way[1] ** 2, 0.04);
    const far = small * (dx * way[0] + dy * way[1]) / length;
    return point.map((v, k) => v + far * along[k]);
  }

  // The view as a picture for a document: larger than on the page, with a title, a measure and the scales.
  picture(title) {
    const w = this.holder.clientWidth, h = this.holder.clientHeight, ratio = this.renderer.getPixelRatio(),
      factor = Math.max(1, 1920 / w);
    const rows = [...(this.options.legend?.querySelectorAll("[data-of]") || [])].map((row) =>
      row.scale).filter(Boolean);
    const said = this.options.arrowLegend, arrows = said && !said.hidden ? 30 : 0;
    const out = document.createElement("canvas"), top = 56, foot = 20 + arrows +
      56 * Math.max(rows.length, 1);
    out.width = Math.round(w * factor); out.height = Math.round(h * factor) + top + foot;
    this.renderer.setPixelRatio(factor);
    this.draw();
    const pen = out.getContext("2d");
    pen.fillStyle = "#F7F5F0"; pen.fillRect(0, 0, out.width, out.height);
    pen.drawImage(this.canvas, 0, top, out.width, Math.round(h * factor));
    this.renderer.setPixelRatio(ratio);
    this.draw();
    pen.fillStyle = "#1B2A2F"; pen.font = '600 26px "Barlow", sans-serif'; pen.textBaseline = "middle";
      pen.fillText(title, 24, top / 2);
    rows.forEach((scale, k) => {
      const y = out.height - foot + 16 + 56 * k;
      pen.fillStyle = "#1B2A2F"; pen.font = '20px "IBM Plex Sans", sans-serif'; pen.textAlign = "left";
        pen.textBaseline = "middle"; pen.fillText(scale.what, 24, y + 10);
      paint(pen, Math.round(out.width / 2) - 300, y, 600, 20, scale, 16);
    });
    if (arrows) { pen.font = '18px "IBM Plex Sans", sans-serif'; pen.textAlign = "left"; pen.textBaseline =
      "middle"; pen.fillText(said.textContent, 24, out.height - 18); }
    this._measure(pen, out.width - 40, out.height - foot + 26, h * factor);
    return out.toDataURL("image/png");
  }

  // A stretch of round length at the distance of the body's middle.
  _measure(pen, right, y, height) {
    const perPixel = 2 * this.view.distance * Math.max(1,
      0.9 / this.camera.aspect) * Math.tan(0.5 * this.camera.fov * Math.PI / 180) / height, rough =
      220 * perPixel, power = 10 ** Math.floor(Math.log10(rough));
    const length = [5, 2, 1].map((k) => k * power).find((k) => k <= rough) || power, pixels =
      length / perPixel;
    pen.strokeStyle = pen.fillStyle = "#1B2A2F"; pen.lineWidth = 2;
    pen.beginPath(); pen.moveTo(right - pixels, y - 6); pen.lineTo(right - pixels, y); pen.lineTo(right, y);
      pen.lineTo(right, y - 6); pen.stroke();
    pen.font = '18px "IBM Plex Mono", monospace'; pen.textAlign = "center"; pen.textBaseline = "top";
      pen.fillText(`${format(length)} m`, right - pixels / 2, y + 6);
  }

  turn(dx, dy) {
    const s = new THREE.Spherical().setFromVector3(new THREE.Vector3(this.view.direction[0],
      this.view.direction[2], -this.view.direction[1]));
    s.theta -= dx; s.phi = Math.min(Math.max(s.phi - dy, 0.002), Math.PI - 0.002);
    const p = new THREE.Vector3().setFromSpherical(s);
    this.look({ direction: [p.x, -p.z, p.y] });
  }

  move(dx, dy) {
    const away = new THREE.Vector3(...this.view.direction).normalize(), right =
      new THREE.Vector3().crossVectors(UP, away).normalize(), up = new THREE.Vector3().crossVectors(away,
      right);
    const scale =
      2 * this.view.distance * Math.tan(0.5 * this.camera.fov * Math.PI / 180) / this.holder.clientHeight;
    const t = new THREE.Vector3(...this.view.target).addScaledVector(right, -dx * scale).addScaledVector(up,
      dy * scale);
    this.look({ target: [t.x, t.y, t.z] });
  }

  // What lies under the cursor on the body: part, place, readings.
  pick(event) {
    const r = this.canvas.getBoundingClientRect(), ray = new THREE.Raycaster();
    ray.setFromCamera(new THREE.Vector2(2 * (event.clientX - r.left) / r.width - 1,
      1 - 2 * (event.clientY - r.top) / r.height), this.camera);
    const clip = this.state.clip;
    const hits = ray.intersectObjects([...this.parts.values()].filter((m) => m.visible)).filter((h) =>
      !clip || clip[0] * h.point.x + clip[1] * h.point.y + clip[2] * h.point.z <= clip[3]);
    // Planes are read too where something starts from them.
    const planes = this.options.onPlane ? ray.intersectObjects([...this.layers].filter(([name]) =>
      /^plane-\d+$/.test(name)).map(([, mesh]) => mesh)) : [];
    if (planes.length && !(hits.length && hits[0].distance < planes[0].distance - 1e-3 * this.size)) {
      this.options.onPlane(planes[0].point.toArray(), planes[0].face.normal.toArray());
    }
    if (!hits.length) return null;
    const hit = hits[0], out = { part: [...this.parts].find(([, m]) => m === hit.object)[0], at:
      hit.point.toArray(), normal: hit.face.normal.toArray() };
    for (const q of this.data.quantities || []) out[q.key] = (this.data[q.key][hit.face.a] +
      this.data[q.key][hit.face.b] + this.data[q.key][hit.face.c]) / 3;
    return out;
  }

  _listen() {
    let drag = null;
    this.canvas.addEventListener("contextmenu", (e) => e.preventDefault());
    this.canvas.addEventListener("pointerdown", (e) => { drag = { x: e.clientX, y: e.clientY, sx: e.clientX,
      sy: e.clientY, move: e.button !== 0 || e.shiftKey }; this.canvas.setPointerCapture(e.pointerId); });
    this.canvas.addEventListener("pointerup", (e) => { if (drag && Math.hypot(e.clientX - drag.sx,
      e.clientY - drag.sy) < 4) this.options.onPick?.(this.pick(e)); drag = null; });
    this.canvas.addEventListener("pointermove", (e) => {
      if (!drag) return;
      const dx = e.clientX - drag.x, dy = e.clientY - drag.y;
      if (drag.move) this.move(dx, dy); else this.turn(0.008 * dx, 0.008 * dy);
      drag.x = e.clientX; drag.y = e.clientY;
    });
    this.canvas.addEventListener("wheel", (e) => {
      if (!this.options.wheel && document.activeElement !== this.canvas) return;
      e.preventDefault();
      this.look({ distance: this.view.distance * Math.exp(Math.max(-1, Math.min(1, e.deltaY / 400))) });
    }, { passive: false });
    this.canvas.addEventListener("keydown", (e) => {
      const turns = { ArrowLeft: [-0.12, 0], ArrowRight: [0.12, 0], ArrowUp: [0, -0.12], ArrowDown: [0,
        0.12] };
      const views = { f: "front", b: "back", l: "left", r: "right", t: "top", u: "below", c: "corner" };
      if (turns[e.key]) this.turn(...turns[e.key]);
      else if ("+=".includes(e.key)) this.look({ distance: this.view.distance / 1.25 });
      else if (e.key === "-") this.look({ distance: this.view.distance * 1.25 });
      else if (views[e.key.toLowerCase()]) this.go(views[e.key.toLowerCase()]);
      else return;
      e.preventDefault();
    });
  }
}
