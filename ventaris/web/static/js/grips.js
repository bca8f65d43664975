// Grips over a picture: places that are seen, moved by hand or by the arrow keys, and marks that only stand
// there.
const STEP = 8;

export class Grips {
  // picture: has holder, canvas, placeOf(point) in pixels or null, and onDraw, which is called after drawing.
  constructor(picture) {
    this.picture = picture;
    this.held = new Map();
    picture.onDraw = () => this.place();
  }

  // A grip `name`: label, at() gives its point or null; move(dx, dy, from, to) is told pixels (down and
  // right) and the places in pixels; done() when it is let go. Without move it is a mark.
  set(name, { label, at, move = null, done = null, kind = "" }) {
    let grip = this.held.get(name);
    if (!grip) {
      const node = document.createElement(move ? "button" : "span");
      if (move) node.type = "button";
      node.className = `grip ${move ? "" : "mark"} ${kind}`;
      node.dataset.grip = name;
      this.picture.holder.append(node);
      grip = { node };
      this.held.set(name, grip);
      if (move) this._listen(grip);
    }
    Object.assign(grip, { at, move, done });
    grip.node.title = label;
    if (move) grip.node.setAttribute("aria-label", `${label}; arrow keys move it`);
    else grip.node.dataset.words = label;
    this._stand(grip);
  }

  drop(name) {
    this.held.get(name)?.node.remove();
    this.held.delete(name);
  }

  place() { for (const grip of this.held.values()) this._stand(grip); }

  _stand(grip) {
    const point = grip.at(), seen = point && this.picture.placeOf(point), { holder } = this.picture;
    const inside = seen && seen[0] >= 0 && seen[1] >= 0 && seen[0] <= holder.clientWidth &&
      seen[1] <= holder.clientHeight;
    grip.node.hidden = !inside;
    // Its name stands on the side that has room.
    grip.node.classList.toggle("flipped", Boolean(inside) && seen[0] > 0.8 * holder.clientWidth);
    if (inside) Object.assign(grip.node.style, { left: `${seen[0]}px`, top: `${seen[1]}px` });
  }

  _listen(grip) {
    let last = null;
    const { node } = grip;
    const moved = (dx, dy) => {
      const seen = this.picture.placeOf(grip.at());
      if (!seen) return;
      grip.move(dx, dy, seen, [seen[0] + dx, seen[1] + dy]);
      this.place();
    };
    node.addEventListener("pointerdown", (event) => { last = [event.clientX, event.clientY];
      node.setPointerCapture(event.pointerId); event.stopPropagation(); });
    node.addEventListener("pointermove", (event) => {
      if (!last) return;
      moved(event.clientX - last[0], event.clientY - last[1]);
      last = [event.clientX, event.clientY];
    });
    const end = () => { if (last) { last = null; grip.done?.(); } };
    for (const kind of ["pointerup", "pointercancel"]) node.addEventListener(kind, end);
    node.addEventListener("keydown", (event) => {
      const ways = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };
      const way = ways[event.key];
      if (!way) return;
      event.preventDefault();
      event.stopPropagation();
      moved(STEP * way[0], STEP * way[1]);
      grip.done?.();
    });
  }
}
