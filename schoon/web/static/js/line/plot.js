// A line point by point: placed, moved while it is made, a corner with Shift, the last one taken back, closed at the first.

import { notice } from '../api.js';
import { through } from '../pure/forms.js';
import { newId } from '../pure/ids.js';
import { make } from '../shot/paper.js';
import { change } from './change.js';

const REACH = 11;

export class PlotTool {
  constructor(app, hand) {
    Object.assign(this, { app, hand, id: 'plot', points: [] });
    this.pen = 'Point by point: Shift for a corner, Backspace takes the last back, the first closes, Enter ends';
  }

  leave() { this.points = []; this.show(); }

  redrawn() { this.show(); }

  down(event, at) {
    const { view } = this.app.table;
    const near = this.points.findIndex(({ x, y }) => Math.hypot(x - at[0], y - at[1]) * view.zoom < REACH);
    if (near === 0 && this.points.length > 2) { this.finish(true); return null; }
    const point = near >= 0 ? this.points[near] : { x: at[0], y: at[1], corner: event.shiftKey };
    if (near < 0) this.points.push(point);
    else if (event.shiftKey) point.corner = !point.corner;
    this.show();
    const before = { ...point };
    return {
      move: (e) => { [point.x, point.y] = view.toPaper(e.clientX, e.clientY); this.show(); },
      up: () => this.show(),
      cancel: () => { Object.assign(point, before); this.show(); },
    };
  }

  // The last point is taken back.
  remove() { this.points.pop(); this.show(); }

  show() {
    const { paper, view } = this.app.table;
    const layer = paper.layers['pen-layer'];
    for (const node of layer.querySelectorAll('.plot')) node.remove();
    if (!this.points.length) return;
    const path = through(this.points);
    make('path', { class: 'plot', d: `M${path.map((p) => p.join()).join(' ')}${path.length < 2 ? 'h.1' : ''}`,
      'stroke-width': this.app.data.rule.outline }, layer);
    const size = 8 / view.zoom;
    this.points.forEach(({ x, y, corner }, k) => {
      const first = k === 0 && this.points.length > 2 ? ' closes' : '';
      if (corner) make('rect', { class: `plot knot${first}`, x: x - size / 2, y: y - size / 2, width: size, height: size }, layer);
      else make('circle', { class: `plot knot${first}`, cx: x, cy: y, r: size / 2 }, layer);
    });
  }

  drop() { const some = this.points.length > 0; this.points = []; this.show(); return some; }

  async finish(closed = false) {
    const { app, hand, points } = this;
    if (points.length < 2) { notice('A line needs two points at least'); return; }
    const entry = app.current;
    const path = through(points, closed).map(([x, y]) => [x, y, 0.5]);
    this.points = [];
    const snap = closed ? 0 : Math.min(100, hand.snap / app.table.view.zoom);
    const answer = await change(app, { do: 'trace', id: newId(), path, width: app.data.rule.outline, steady: 0, snap, part: hand.part }, entry);
    this.show();
    if (answer && !answer.merged && app.current === entry) app.table.paper.addInk(answer.strokes);
  }
}
