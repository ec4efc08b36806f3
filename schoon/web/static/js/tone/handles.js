// Where an entry of the finish lies, on the paper: numbers that are seen there are dragged there.

import { make, spot } from '../shot/paper.js';
import { lineNow } from '../shot/drawings.js';

// Px of the screen within which a handle is taken.
const NEAR = 12;
const RAD = Math.PI / 180;

// Where the figure stands, as the shadow it casts has it: the middle of its lowest few rows.
function foot(entry, box) {
  const points = (lineNow(entry)?.strokes ?? []).flatMap(({ points: p }) => Array.from({ length: p.length / 2 }, (_, k) => [p[2 * k], p[2 * k + 1]]));
  if (!points.length) return [(box[0] + box[2]) / 2, box[3]];
  const lowest = Math.max(...points.map((p) => p[1]));
  const low = points.filter((p) => p[1] > lowest - 6);
  return [low.reduce((sum, p) => sum + p[0], 0) / low.length, lowest];
}

const shifted = ([x, y], { x: dx, y: dy }) => [x + dx, y + dy];

// kind -> the handles of an entry, its numbers as they are now: each with its place, the numbers it sets when it is dragged
// there, and the place its line comes from. figure: its box and where it stands.
const OF = {
  wash: (now) => [
    { at: [now.x0, now.y0], to: ([x, y]) => ({ x0: x, y0: y }) },
    { at: [now.x1, now.y1], to: ([x, y]) => ({ x1: x, y1: y }), from: [now.x0, now.y0] },
  ],
  flare: (now, { entry }) => {
    if (entry.pot) return [];
    const [x, y] = [now.x, now.y];
    const tip = [x + now.size * Math.cos(now.turn * RAD), y + now.size * Math.sin(now.turn * RAD)];
    const out = ([u, v]) => ({ size: Math.hypot(u - x, v - y), turn: Math.atan2(v - y, u - x) / RAD });
    return [{ at: [x, y], to: ([u, v]) => ({ x: u, y: v }) }, { at: tip, to: out, from: [x, y] }];
  },
  cast: (now, { box, stands }) => {
    const high = box[3] - box[1];
    const base = shifted(stands, now);
    const [c, s] = [Math.cos(now.turn * RAD), Math.sin(now.turn * RAD)];
    const [x, y] = [now.shear * now.high * high, -now.high * high];
    const tip = [base[0] + c * x - s * y, base[1] + s * x + c * y];
    // Turned back, the head lies so far aside and so high.
    const laid = ([u, v]) => {
      const [dx, dy] = [u - base[0], v - base[1]];
      const [across, up] = [c * dx + s * dy, c * dy - s * dx];
      // A shadow without height has no lean.
      const share = Math.abs(up) < 4 ? (Math.sign(-up) || 1) * 4 / high : -up / high;
      return { high: share, shear: across / (share * high) };
    };
    return [{ at: base, to: ([u, v]) => ({ x: u - stands[0], y: v - stands[1] }) }, { at: tip, to: laid, from: base }];
  },
  contact: (now, { box }) => {
    const middle = [(box[0] + box[2]) / 2, (box[1] + box[3]) / 2];
    return [{ at: shifted(middle, now), to: ([x, y]) => ({ x: x - middle[0], y: y - middle[1] }), from: middle }];
  },
};

export class Handles {
  // finish: the list with what is chosen of it.
  constructor(app, finish) { Object.assign(this, { app, finish, held: null }); }

  get entry() { return this.app.stage === this.finish.stage && this.finish.stage.view === 'finish' ? this.finish.now : null; }

  list() {
    const { entry, app: { current } } = this;
    if (!entry || !OF[entry.kind] || !current) return [];
    const box = current.box ?? [0, 0, ...this.app.table.view.size];
    const now = { ...this.finish.fields.now(entry), ...this.held?.values };
    return OF[entry.kind](now, { entry, box, stands: foot(current, box) });
  }

  show() {
    const { layers, zoom } = this.app.table.paper;
    layers.finish.replaceChildren();
    for (const { at, from } of this.list()) {
      if (from) make('line', { x1: from[0], y1: from[1], x2: at[0], y2: at[1], 'stroke-width': 1.5 / zoom }, layers.finish);
      spot(at, 'circle', { r: 7 }, layers.finish);
    }
  }

  // The pen comes down: null where no handle is.
  grip(event, at) {
    const { zoom } = this.app.table.view;
    const found = this.list().map(({ at: [x, y] }, k) => [Math.hypot(x - at[0], y - at[1]) * zoom, k]).sort((a, b) => a[0] - b[0])[0];
    if (!found || found[0] > NEAR) return null;
    const [, which] = found;
    const { entry } = this;
    const { to, at: [x, y] } = this.list()[which];
    const put = (e) => {
      const [u, v] = this.app.table.view.toPaper(e.clientX, e.clientY);
      const values = this.finish.fields.bounded(entry, to([x + u - at[0], y + v - at[1]]));
      this.held = { values };
      this.show();
      this.finish.fields.write(values);
    };
    return {
      move: put,
      up: () => {
        const values = this.held?.values;
        this.held = null;
        if (values) this.finish.fields.setNumbers(entry, values);
        this.show();
      },
      cancel: () => { this.held = null; this.show(); this.finish.stage.ledge(); },
    };
  }
}
