// Tools that act where the pen touches a line: trim, cut, weigh.

import { notice } from '../api.js';
import { round } from '../pure/geometry.js';
import { lineNow } from '../shot/drawings.js';
import { make } from '../shot/paper.js';
import { strokeAt } from '../shot/pen.js';
import { change } from './change.js';

const LONG = 6;

// A tool whose id is what it does to the line that is clicked. miss: said if there is none.
export class TouchTool {
  constructor(app, fields) { Object.assign(this, { app }, fields); }

  down(event, from) {
    const { app } = this;
    const hit = strokeAt(event.clientX, event.clientY);
    if (!hit) { notice(this.miss); return null; }
    const part = lineNow(app.current)?.strokes.find((s) => s.id === hit.dataset.id)?.part || '';
    if (app.parts.closed(part)) { notice(`The part ${part} is ${app.parts.closed(part)}; open it in the dock first`, true); return null; }
    const up = () => change(app, { do: this.id, id: hit.dataset.id, at: from.map((v) => round(v)) }).then(() => app.table.draw());
    return { move() {}, cancel() {}, up };
  }
}

export class WeighTool {
  constructor(app) {
    Object.assign(this, { app, id: 'weigh' });
    this.pen = 'Weigh: drag along a line to make that stretch heavier; with Shift lighter';
  }

  down(event, from) {
    const { app } = this;
    const { view, paper } = app.table;
    const hit = strokeAt(event.clientX, event.clientY);
    if (!hit) { notice('Start on the line to weigh'); return null; }
    const factor = event.shiftKey ? 0.8 : 1.25;
    const node = make('path', { class: 'crossing' }, paper.layers['pen-layer']);
    const path = [from];
    return {
      move(e) { path.push(view.toPaper(e.clientX, e.clientY)); node.setAttribute('d', `M${path.map((p) => p.join(',')).join(' ')}`); },
      up() {
        node.remove();
        const to = path.at(-1);
        const long = Math.hypot(to[0] - from[0], to[1] - from[1]) * view.zoom > LONG;
        const stretch = long ? { first: from.map((v) => round(v)), last: to.map((v) => round(v)) } : {};
        change(app, { do: 'weigh', ids: [hit.dataset.id], factor, ...stretch }).then(() => app.table.draw());
      },
      cancel() { node.remove(); },
    };
  }
}
