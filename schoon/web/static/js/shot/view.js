// Where the paper lies on the table: zoom, turn and place. Only the view moves, never the picture.

// Px that stay free round the paper.
const EDGE = 4;
// Px above it for what is in the hand and for the sights: a pen reaches all of the paper.
const TOP = 46;

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
    this.frame([0, 0, ...this.size], 1);
    this.fitted = true;
  }

  // Looks at a box of the paper, [left, top, right, bottom], with some room round it.
  frame([x0, y0, x1, y1], margin) {
    const box = this.element.getBoundingClientRect();
    const [w, h] = [Math.max(8, x1 - x0) * margin, Math.max(8, y1 - y0) * margin];
    this.zoom = Math.min(8, Math.max(0.02, Math.min((box.width - 2 * EDGE) / w, (box.height - TOP - EDGE) / h)));
    this.turn = 0;
    this.x = box.width / 2 - ((x0 + x1) / 2) * this.zoom * this.side;
    this.y = (box.height + TOP - EDGE) / 2 - ((y0 + y1) / 2) * this.zoom;
    this.fitted = false;
    this.onChange();
  }

  // As it lies, without its turn.
  straighten() {
    const box = this.element.getBoundingClientRect();
    this.around(box.left + box.width / 2, box.top + box.height / 2, 1, -this.turn);
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
