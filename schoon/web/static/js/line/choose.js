// Choosing strokes and moving, turning, scaling and bending what is chosen.

import { notice } from '../api.js';
import { lineNow } from '../shot/drawings.js';
import { make } from '../shot/paper.js';
import { about, bent, boundsOf, round, scaledBy, shifted, touches, turnedBy, warped } from '../pure/geometry.js';
import { strokeAt } from '../shot/pen.js';
import { change } from './change.js';

const TWELFTH = Math.PI / 12;
const STEP = 4;

export class ChooseTool {
  constructor(app, chosen) {
    Object.assign(this, { app, chosen, id: 'choose' });
    this.pen = 'Choose: click, or drag across lines; drag a chosen line to move it';
  }

  down(event, from) {
    const { chosen } = this;
    if (event.target.dataset?.grip) return this.grip(event.target.dataset.grip, from);
    const node = strokeAt(event.clientX, event.clientY);
    if (node && this.open(node)) {
      const { id } = node.dataset;
      if (event.shiftKey) { chosen.toggle(id); return null; }
      if (!chosen.ids.has(id)) chosen.set([id]);
      let matrix = shifted(0, 0);
      return this.drag((to) => { matrix = shifted(to[0] - from[0], to[1] - from[1]); chosen.preview(matrix); }, () => chosen.place(matrix, 'move'));
    }
    if (!event.shiftKey) chosen.clear();
    return this.crossing(event, from);
  }

  double(event) {
    const node = strokeAt(event.clientX, event.clientY);
    if (!this.open(node)) return;
    const { strokes } = lineNow(this.app.current);
    const part = strokes.find((s) => s.id === node.dataset.id)?.part;
    if (!part) { notice('This line belongs to no part yet; give it one below'); return; }
    this.chosen.set(strokes.filter((s) => s.part === part).map((s) => s.id));
  }

  // Whether a line's part can be drawn on.
  open(node) {
    const { app } = this;
    return node && !app.parts.closed(lineNow(app.current)?.strokes.find((s) => s.id === node.dataset.id)?.part || '');
  }

  drag(during, after) {
    const { table } = this.app;
    let moved = false;
    return {
      move(e) { moved = true; during(table.view.toPaper(e.clientX, e.clientY), e); },
      up() { if (moved) after(); },
      cancel() { table.draw(); },
    };
  }

  grip(kind, from) {
    const { chosen } = this;
    const [x0, y0, x1, y1] = chosen.box;
    const centre = [(x0 + x1) / 2, (y0 + y1) / 2];
    const fixed = { nw: [x1, y1], ne: [x0, y1], sw: [x1, y0], se: [x0, y0] }[kind];
    let matrix = shifted(0, 0);
    const turn = (to, e) => {
      const angle = Math.atan2(to[1] - centre[1], to[0] - centre[0]) - Math.atan2(from[1] - centre[1], from[0] - centre[0]);
      matrix = about(...centre, turnedBy(e.shiftKey ? Math.round(angle / TWELFTH) * TWELFTH : angle));
    };
    const scale = (to, e) => {
      const ratio = (k) => (to[k] - fixed[k]) / (from[k] - fixed[k] || 1);
      let [sx, sy] = [ratio(0), ratio(1)];
      // Both ways alike, so that forms keep their proportions; with Shift each for itself.
      if (!e.shiftKey) sx = sy = Math.max(0.05, (Math.abs(sx) + Math.abs(sy)) / 2);
      matrix = about(...fixed, scaledBy(sx || 0.05, sy || 0.05));
    };
    const act = kind === 'turn' ? turn : scale;
    return this.drag((to, e) => { act(to, e); chosen.preview(matrix); }, () => chosen.place(matrix, kind === 'turn' ? 'turn' : 'scale'));
  }

  // A line drawn across others chooses what it crosses.
  crossing(event, from) {
    const { app, chosen } = this;
    const path = [from];
    const node = make('path', { class: 'crossing' }, app.table.paper.layers['pen-layer']);
    let last = [event.clientX, event.clientY];
    const take = (x, y) => { const hit = strokeAt(x, y); if (this.open(hit)) chosen.ids.add(hit.dataset.id); };
    const done = () => { node.remove(); chosen.show(); };
    take(...last);
    return {
      move(e) {
        const to = [e.clientX, e.clientY];
        const steps = Math.max(1, Math.ceil(Math.hypot(to[0] - last[0], to[1] - last[1]) / STEP));
        for (let k = 1; k <= steps; k += 1) take(last[0] + ((to[0] - last[0]) * k) / steps, last[1] + ((to[1] - last[1]) * k) / steps);
        last = to;
        path.push(app.table.view.toPaper(...to));
        node.setAttribute('d', `M${path.map((p) => p.join(',')).join(' ')}`);
        chosen.mark();
      },
      up: done,
      cancel: done,
    };
  }
}

export class BendTool {
  constructor(app, chosen, hand) {
    Object.assign(this, { app, chosen, hand, id: 'bend', pen: 'Bend: drag a line; only what is near follows' });
  }

  // The strokes that may follow: the chosen ones, or the line under the pen with what meets it.
  strokes(event, from, reach) {
    const { app, chosen } = this;
    let strokes = chosen.strokes();
    if (!strokes.length) {
      const pool = (lineNow(app.current)?.strokes || []).filter((s) => !app.parts.closed(s.part));
      const hit = strokeAt(event.clientX, event.clientY);
      const stroke = hit && pool.find((s) => s.id === hit.dataset.id);
      if (!stroke) return [];
      strokes = [stroke, ...pool.filter((s) => s !== stroke && touches(s.points, stroke.points))];
    }
    return strokes.filter((s) => {
      const [x0, y0, x1, y1] = boundsOf([s]);
      return from[0] > x0 - 2 * reach && from[0] < x1 + 2 * reach && from[1] > y0 - 2 * reach && from[1] < y1 + 2 * reach;
    });
  }

  down(event, from) {
    const { app } = this;
    const { table } = app;
    const reach = this.hand.reach / table.view.zoom;
    const strokes = this.strokes(event, from, reach);
    if (!strokes.length) { notice('Start on the line to bend, or choose lines first'); return null; }
    const nodes = strokes.map((s) => [table.paper.stroke(s.id), s]);
    const ring = make('circle', { cx: from[0], cy: from[1], r: reach, class: 'reach-ring' }, table.paper.layers['pen-layer']);
    let by = [0, 0];
    return {
      move(e) {
        const to = table.view.toPaper(e.clientX, e.clientY);
        by = [to[0] - from[0], to[1] - from[1]];
        for (const [node, s] of nodes) node?.setAttribute('d', warped(s.d, (x, y) => bent([x, y], from, by, reach)));
      },
      async up() {
        ring.remove();
        if (Math.hypot(...by) >= 0.2) {
          await change(app, { do: 'bend', ids: strokes.map((s) => s.id), at: from.map((v) => round(v)), by: by.map((v) => round(v)), reach: round(reach) });
        }
        table.draw();
      },
      cancel() { ring.remove(); table.draw(); },
    };
  }
}
