// Fingers on the paper. Without a pen one finger draws. Once a pen was seen, touch only moves the paper: a palm draws nothing.
// Two fingers always pan, zoom and turn, with a stop where the paper is straight.

const SEEN = 'penSeen';
// How far from straight the paper snaps to it, radians.
const STRAIGHT = 0.09;
// Px of the screen a finger slides for each drawing it flips on.
const LEAF = 56;
export const ONE = { pans: 'one finger moves the paper', flips: 'one finger flips through the drawings' };

export class Fingers {
  constructor(app, tools) {
    Object.assign(this, { app, tools, on: new Map(), flipped: 0 });
    this.pen = localStorage[SEEN] === 'yes';
  }

  get one() { return localStorage.oneFinger === 'flips' ? 'flips' : 'pans'; }

  // true if it was for the paper, not for the tool in the hand.
  down(event) {
    if (event.pointerType === 'pen') {
      if (!this.pen) { this.pen = true; localStorage[SEEN] = 'yes'; }
      // A palm that lay there before the pen moves nothing more.
      this.on.clear();
      this.drawing = true;
      return false;
    }
    if (event.pointerType !== 'touch') return false;
    if (this.tools.stroke && this.drawing) return true;
    this.on.set(event.pointerId, [event.clientX, event.clientY]);
    if (this.on.size === 1 && !this.pen) return false;
    event.preventDefault();
    document.getElementById('surface').setPointerCapture(event.pointerId);
    if (this.on.size === 2) {
      // What the first finger had begun was meant for the paper.
      const { stroke } = this.tools;
      this.tools.stroke = null;
      if (stroke?.drop) stroke.drop(); else stroke?.cancel();
      this.turn = this.app.table.view.turn;
      this.flip(0);
    }
    this.from = [event.clientX, event.clientY];
    return true;
  }

  move(event) {
    if (!this.on.has(event.pointerId)) return event.pointerType === 'touch' && this.pen;
    if (this.on.size === 1 && !this.pen) { this.on.set(event.pointerId, [event.clientX, event.clientY]); return false; }
    const before = [...this.on.values()].map((p) => [...p]);
    this.on.set(event.pointerId, [event.clientX, event.clientY]);
    const now = [...this.on.values()];
    if (now.length === 1) this.alone(before[0], now[0]);
    else if (now.length === 2) this.pair(before, now);
    return true;
  }

  up(event) {
    if (event.pointerType === 'pen') this.drawing = false;
    if (!this.on.delete(event.pointerId)) return event.pointerType === 'touch' && this.pen;
    if (!this.on.size) this.flip(0);
    return this.pen || this.moved(event);
  }

  // A touch that has moved the paper has drawn nothing.
  moved() { return !this.tools.stroke; }

  alone([x0, y0], [x1, y1]) {
    if (this.one === 'pans') { this.app.table.view.move(x1 - x0, y1 - y0); return; }
    this.flip(Math.trunc((x1 - this.from[0]) / LEAF));
  }

  // Shows the drawing so many leaves away; 0 for the one on the table.
  flip(by) {
    if (by === this.flipped) return;
    const { app } = this;
    const entry = by ? app.data.run[Math.min(app.data.run.length - 1, Math.max(0, app.data.run.indexOf(app.current) + by))] : app.current;
    this.flipped = by;
    app.table.draw(entry, Boolean(by));
    if (by) app.tools.says(`flip: drawing ${entry.number}`); else app.tools.status();
  }

  pair([a, b], [c, d]) {
    const { view } = this.app.table;
    const middle = (p, q) => [(p[0] + q[0]) / 2, (p[1] + q[1]) / 2];
    const [from, to] = [middle(a, b), middle(c, d)];
    const way = (p, q) => [Math.hypot(q[0] - p[0], q[1] - p[1]), Math.atan2(q[1] - p[1], q[0] - p[0])];
    const [[far0, angle0], [far1, angle1]] = [way(a, b), way(c, d)];
    const by = Math.atan2(Math.sin(angle1 - angle0), Math.cos(angle1 - angle0));
    this.turn += by * view.side;
    const wanted = Math.abs(Math.atan2(Math.sin(this.turn), Math.cos(this.turn))) < STRAIGHT ? 0 : this.turn;
    view.move(to[0] - from[0], to[1] - from[1]);
    view.around(...to, far0 > 1 ? far1 / far0 : 1, wanted - view.turn);
  }
}
