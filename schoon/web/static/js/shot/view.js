// Where the paper lies on the table: zoom, turn and place. Only the view moves, never the picture.

export class View {
  constructor(element, size, onChange) {
    this.element = element;
    this.size = size;
    this.onChange = onChange;
    this.zoom = 1; this.turn = 0; this.x = 0; this.y = 0;
    // Whether the paper is seen from its other side.
    this.mirrored = false;
    this.fitted = true;
    new ResizeObserver(() => { if (this.fitted) this.fit(); else this.onChange(); }).observe(element);
  }

  fit() {
    const box = this.element.getBoundingClientRect();
    const [w, h] = this.size;
    // The wings keep a margin at both sides; the paper may lie over part of it.
    const margin = document.body.classList.contains('no-wings') ? 24 : Math.min(166, box.width * 0.165);
    const room = Math.max(200, box.width - 2 * margin);
    this.zoom = Math.max(0.02, Math.min(room / w, (box.height - 92) / h));
    this.turn = 0;
    this.x = box.width / 2 - (w / 2) * this.zoom * this.side;
    this.y = 50 + (box.height - 62) / 2 - (h / 2) * this.zoom;
    this.fitted = true;
    this.onChange();
  }

  // Looks at a box of the paper, [left, top, right, bottom], with some room round it.
  frame([x0, y0, x1, y1], margin) {
    const box = this.element.getBoundingClientRect();
    const [w, h] = [Math.max(8, x1 - x0) * margin, Math.max(8, y1 - y0) * margin];
    this.zoom = Math.min(8, Math.max(0.02, Math.min(box.width / w, (box.height - 60) / h)));
    this.turn = 0;
    this.x = box.width / 2 - ((x0 + x1) / 2) * this.zoom * this.side;
    this.y = 50 + (box.height - 60) / 2 - ((y0 + y1) / 2) * this.zoom;
    this.fitted = false;
    this.onChange();
  }

  matrix() {
    const c = Math.cos(this.turn) * this.zoom;
    const s = Math.sin(this.turn) * this.zoom;
    return [c * this.side, s * this.side, -s, c, this.x, this.y];
  }

  get side() { return this.mirrored ? -1 : 1; }

  // The other side of the paper, about the middle of the table.
  mirror() {
    const middle = this.element.getBoundingClientRect().width / 2;
    this.mirrored = !this.mirrored;
    this.turn = -this.turn;
    this.x = 2 * middle - this.x;
    this.onChange();
  }

  // Screen point (client co-ordinates) to the drawing's pixels.
  toPaper(clientX, clientY) {
    const box = this.element.getBoundingClientRect();
    const [a, b, c, d, e, f] = this.matrix();
    const px = clientX - box.left - e;
    const py = clientY - box.top - f;
    const det = a * d - b * c;
    return [(d * px - c * py) / det, (a * py - b * px) / det];
  }

  move(dx, dy) { this.x += dx; this.y += dy; this.fitted = false; this.onChange(); }

  around(clientX, clientY, factor, angle) {
    const box = this.element.getBoundingClientRect();
    const [px, py] = this.toPaper(clientX, clientY);
    this.zoom = Math.min(32, Math.max(0.05, this.zoom * factor));
    this.turn += angle;
    const [a, b, c, d] = this.matrix();
    this.x = clientX - box.left - (a * px + c * py);
    this.y = clientY - box.top - (b * px + d * py);
    this.fitted = false;
    this.onChange();
  }
}
