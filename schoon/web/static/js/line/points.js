// Points and handles of one stroke.

import { notice } from '../api.js';
import { centreLine, handleMoved, pairs, round } from '../pure/geometry.js';
import { lineNow } from '../shot/drawings.js';
import { make } from '../shot/paper.js';
import { strokeAt } from '../shot/pen.js';
import { change } from './change.js';

export class PointsTool {
  constructor(app) {
    Object.assign(this, { app, id: 'points', shown: null, active: null });
    this.pen = 'Points: click a line; drag its points; double-click adds one, Delete takes the marked one away; with Alt a handle moves alone';
  }

  // While another tool is in the hand: the handles of a stroke it has just made, until it makes the next.
  lend(id) { this.lent = true; this.shown = id; this.show(); }

  takeBack() { if (this.lent) { this.lent = false; this.leave(); } }

  get stroke() { return lineNow(this.app.current)?.strokes.find((s) => s.id === this.shown); }

  enter() { this.lent = false; this.show(); }

  leave() { this.shown = null; this.active = null; this.app.table.paper.layers.frame.replaceChildren(); }

  redrawn() { this.show(); }

  show(points = this.stroke?.points) {
    const { paper, view } = this.app.table;
    const layer = paper.layers.frame;
    layer.replaceChildren();
    if (!points || (this.app.tools.now !== this && !this.lent)) return;
    const size = 8 / view.zoom;
    make('path', { d: centreLine(points), class: 'spine' }, layer);
    for (let k = 0; k < points.length; k += 2) {
      const index = k / 2;
      const [x, y] = [points[k], points[k + 1]];
      if (index % 3 === 0) {
        const mark = index === this.active ? 'knot active' : 'knot';
        make('circle', { cx: x, cy: y, r: size * 0.55, class: mark, 'data-index': index }, layer);
      } else {
        const knot = index % 3 === 1 ? index - 1 : index + 1;
        make('path', { d: `M${x} ${y}L${points[2 * knot]} ${points[2 * knot + 1]}`, class: 'handle-line' }, layer);
        const far = size * 0.7;
        make('path', { d: `M${x} ${y - far}L${x + far} ${y}L${x} ${y + far}L${x - far} ${y}Z`, class: 'handle', 'data-index': index }, layer);
      }
    }
  }

  down(event) {
    const index = event.target.dataset?.index;
    const { stroke } = this;
    if (index !== undefined && stroke) return this.drag(stroke, Number(index));
    this.shown = strokeAt(event.clientX, event.clientY)?.dataset.id ?? null;
    this.active = null;
    this.show();
    return null;
  }

  drag(stroke, index) {
    const { app } = this;
    this.active = index;
    this.show();
    let now = stroke.points;
    return {
      move: (e) => {
        now = handleMoved(stroke, index, app.table.view.toPaper(e.clientX, e.clientY), e.altKey);
        this.show(now);
      },
      up: async () => {
        if (now === stroke.points) return;
        await change(app, { do: 'points', id: stroke.id, points: pairs(now) });
        await app.table.draw();
      },
      cancel: () => this.show(),
    };
  }

  double(event, from) {
    if (!this.shown || strokeAt(event.clientX, event.clientY)?.dataset.id !== this.shown) return;
    this.knot({ at: from.map((v) => round(v)) });
  }

  remove() {
    const { stroke, active } = this;
    if (!stroke || active === null || active % 3) { notice('Click one of the line’s points first, then take it away'); return; }
    this.active = null;
    this.knot({ at: [stroke.points[2 * active], stroke.points[2 * active + 1]], remove: true });
  }

  async knot(wanted) {
    await change(this.app, { do: 'knot', id: this.shown, ...wanted });
    await this.app.table.draw();
  }
}
