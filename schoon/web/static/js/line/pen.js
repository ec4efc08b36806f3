// The pen: tracing a new stroke, and redrawing a stretch of one that is there.

import { notice } from '../api.js';
import { lineNow } from '../shot/drawings.js';
import { penDrag } from '../shot/pen.js';
import { change } from './change.js';
import { trueForm } from '../pure/forms.js';
import { newId } from '../pure/ids.js';
import { make } from '../shot/paper.js';

// Px of the screen within which the pen settles on a rough line.
const NEAR = 8;
// Ms for which a pen is held still, and px of the screen that it may tremble meanwhile.
const HELD_FOR = 550;
const STILL = 4;

class PenTool {
  // How wide the pen is, px of the drawing.
  get width() { return this.app.data.rule.outline; }

  constructor(app, hand, fields) { Object.assign(this, { app, hand }, fields); }

  ready() {
    const { app, hand } = this;
    if (!lineNow(app.current)) { notice('The drawing is still being read; wait a moment'); return false; }
    const closed = app.parts.closed(hand.part);
    if (closed) { notice(`The part ${hand.part} is ${closed}; ${closed === 'locked' ? 'unlock' : 'show'} it in the dock to draw on it`, true); return false; }
    return true;
  }

  // How strongly the stroke settles on the rough line beside it, and how near that has to be, px of the drawing.
  settles() {
    const { app, hand } = this;
    return hand.settle > 0 ? { settle: hand.settle, near: Math.min(60, Math.max(4, NEAR / app.table.view.zoom)) } : {};
  }

  down(event, at) {
    if (!this.ready()) return null;
    const entry = this.app.current;
    return penDrag(this.app, event, at, (path, clear) => this.draw(entry, path, clear), this.hand.steady);
  }
}

export class TraceTool extends PenTool {
  constructor(app, hand, points) { super(app, hand, { id: 'trace', pen: 'Trace', points }); }

  leave() { this.points.takeBack(); }

  redrawn() { this.points.show(); }

  // Held still at its end, a stroke settles into the straight, circle or oval that it nearly is, and has its handles shown.
  down(event, at) {
    if (!this.ready()) return null;
    if (this.points.lent && event.target.dataset?.index !== undefined) return this.points.down(event);
    this.points.takeBack();
    const entry = this.app.current;
    const { layers } = this.app.table.paper;
    let [truly, preview, timer, last] = [null, null, 0, at];
    const off = () => { preview?.remove(); [truly, preview] = [null, null]; };
    const stroke = penDrag(this.app, event, at, (path, clear) => {
      clearTimeout(timer);
      const exact = truly && path.length ? truly.points.map(([x, y]) => [x, y, 0.5]) : null;
      off();
      this.draw(entry, exact ?? path, clear, Boolean(exact));
    }, this.hand.steady);
    const way = [at];
    const hold = () => {
      truly = trueForm(way);
      if (!truly) return;
      preview = make('path', { class: 'true-form', d: `M${truly.points.map((p) => p.join()).join(' ')}` }, layers['pen-layer']);
      this.app.tools.says(`a true ${truly.kind}; move on to draw freely`);
    };
    return {
      move: (e) => {
        stroke.move(e);
        const to = this.app.table.view.toPaper(e.clientX, e.clientY);
        way.push(to);
        if (Math.hypot(to[0] - last[0], to[1] - last[1]) * this.app.table.view.zoom < STILL) return;
        last = to;
        off();
        clearTimeout(timer);
        timer = setTimeout(hold, HELD_FOR);
      },
      up: () => { stroke.up(); this.app.tools.status(); },
      cancel: () => { clearTimeout(timer); off(); stroke.cancel?.(); },
    };
  }

  async draw(entry, path, clear, exact = false) {
    const { app, hand } = this;
    if (hand.even) path = path.map(([x, y]) => [x, y, 0.5]);
    const started = performance.now();
    const snap = Math.min(100, hand.snap / app.table.view.zoom);
    const wanted = { id: newId(), path, width: app.data.rule.outline, steady: exact ? 0 : hand.steady, snap: exact ? 0 : snap, part: hand.part,
      ...(exact ? {} : this.settles()) };
    const done = change(app, { do: 'trace', ...wanted }, entry);
    clear();
    const answer = await done;
    if (answer && !answer.merged && app.table.shown === entry) app.table.paper.addInk(answer.strokes);
    if (answer && exact && app.current === entry && app.tools.now === this) this.points.lend(wanted.id);
    performance.measure('trace', { start: started });
  }
}

export class RedrawTool extends PenTool {
  constructor(app, hand) { super(app, hand, { id: 'redraw', pen: 'Redraw a stretch: begin and end on its line' }); }

  async draw(entry, path, clear) {
    const { app, hand } = this;
    const reach = Math.min(400, 18 / app.table.view.zoom + 4);
    const done = change(app, { do: 'redraw', path, steady: hand.steady, reach, locked: app.parts.notOpen(), ...this.settles() }, entry);
    clear();
    await done;
    if (app.current === entry) app.table.draw();
  }
}
