// Choosing strokes and moving, turning, scaling and bending what is chosen.

import { notice } from '../api.js';
import { lineNow } from '../drawings.js';
import { about, boundsOf, multiply, rows, round, scaledBy, shifted, strokeAt, turnedBy, warped } from '../ink.js';
import { make } from '../paper.js';
import { change } from './change.js';

export class Chosen {
  constructor(app, onChange) { this.app = app; this.ids = new Set(); this.onChange = onChange; }

  get size() { return this.ids.size; }

  list() { return [...this.ids]; }

  strokes() { return (lineNow(this.app.current)?.strokes || []).filter((s) => this.ids.has(s.id)); }

  set(ids) { this.ids.clear(); for (const id of ids) this.ids.add(id); this.show(); }

  add(id) { this.ids.add(id); this.show(); }

  toggle(id) { if (!this.ids.delete(id)) this.ids.add(id); this.show(); }

  clear() { if (this.ids.size) { this.ids.clear(); this.show(); } }

  // What is not in the drawing any more cannot be chosen.
  keepReal() {
    const real = new Set((lineNow(this.app.current)?.strokes || []).map((s) => s.id));
    for (const id of this.ids) if (!real.has(id)) this.ids.delete(id);
  }

  nodes() { return [...this.app.paper.layers.ink.children].filter((node) => this.ids.has(node.dataset.id)); }

  show() {
    for (const node of this.app.paper.layers.ink.children) node.classList.toggle('chosen', this.ids.has(node.dataset.id));
    this.frame();
    this.onChange();
  }

  // The frame round what is chosen, with handles to scale and to turn by.
  frame() {
    const layer = this.app.paper.layers.frame;
    layer.replaceChildren();
    if (!this.ids.size || this.app.tool()?.id !== 'choose') return;
    const strokes = this.strokes();
    if (!strokes.length) return;
    const pad = 8 / this.app.view.zoom;
    const [x0, y0, x1, y1] = boundsOf(strokes).map((v, k) => v + (k < 2 ? -pad : pad));
    this.box = [x0, y0, x1, y1];
    make('rect', { x: x0, y: y0, width: x1 - x0, height: y1 - y0, class: 'chosen-frame' }, layer);
    const size = 9 / this.app.view.zoom;
    for (const [x, y, grip] of [[x0, y0, 'nw'], [x1, y0, 'ne'], [x0, y1, 'sw'], [x1, y1, 'se']]) {
      make('rect', { x: x - size / 2, y: y - size / 2, width: size, height: size, class: 'grip', 'data-grip': grip }, layer);
    }
    const top = y0 - 26 / this.app.view.zoom;
    make('path', { d: `M${(x0 + x1) / 2} ${y0}V${top}`, class: 'chosen-frame' }, layer);
    make('circle', { cx: (x0 + x1) / 2, cy: top, r: size * 0.65, class: 'grip', 'data-grip': 'turn' }, layer);
  }

  preview(matrix) {
    for (const node of this.nodes()) node.setAttribute('transform', `matrix(${matrix.join(' ')})`);
    this.app.paper.layers.frame.setAttribute('transform', `matrix(${matrix.join(' ')})`);
  }

  async place(matrix, what) {
    const { app } = this;
    const entry = app.current;
    const answer = await change(app, { do: 'place', ids: this.list(), matrix: rows(matrix), what }, entry);
    app.paper.layers.frame.removeAttribute('transform');
    if (app.current === entry) await app.draw();
    return answer;
  }
}

export function chooseTools(app, chosen, hand) {
  const open = (node) => node && !app.parts.closed(lineNow(app.current)?.strokes.find((s) => s.id === node.dataset.id)?.part || '');

  function grip(event, from) {
    const kind = event.target.dataset.grip;
    const [x0, y0, x1, y1] = chosen.box;
    const centre = [(x0 + x1) / 2, (y0 + y1) / 2];
    const fixed = { nw: [x1, y1], ne: [x0, y1], sw: [x1, y0], se: [x0, y0] }[kind];
    let matrix = shifted(0, 0);
    return drag((to, e) => {
      if (kind === 'turn') {
        let angle = Math.atan2(to[1] - centre[1], to[0] - centre[0]) - Math.atan2(from[1] - centre[1], from[0] - centre[0]);
        if (e.shiftKey) angle = Math.round(angle / (Math.PI / 12)) * (Math.PI / 12);
        matrix = about(...centre, turnedBy(angle));
      } else {
        const ratio = (k) => (to[k] - fixed[k]) / (from[k] - fixed[k] || 1);
        let [sx, sy] = [ratio(0), ratio(1)];
        // Both ways alike, so that forms keep their proportions; with Shift each for itself.
        if (!e.shiftKey) sx = sy = Math.max(0.05, (Math.abs(sx) + Math.abs(sy)) / 2);
        matrix = about(...fixed, scaledBy(sx || 0.05, sy || 0.05));
      }
      chosen.preview(matrix);
    }, () => chosen.place(matrix, kind === 'turn' ? 'turn' : 'scale'));
  }

  function drag(during, after) {
    let moved = false;
    return {
      move(e) { moved = true; during(app.view.toPaper(e.clientX, e.clientY), e); },
      up() { if (moved) after(); },
      cancel() { app.draw(); },
    };
  }

  const choose = {
    id: 'choose', label: 'Choose', key: 'c', pen: 'Choose: click, or drag across lines; drag a chosen line to move it',
    down(event, from) {
      if (event.target.dataset?.grip) return grip(event, from);
      const node = strokeAt(event.clientX, event.clientY);
      if (node && open(node)) {
        const { id } = node.dataset;
        if (event.shiftKey) { chosen.toggle(id); return null; }
        if (!chosen.ids.has(id)) chosen.set([id]);
        let matrix = shifted(0, 0);
        return drag((to) => { matrix = shifted(to[0] - from[0], to[1] - from[1]); chosen.preview(matrix); }, () => chosen.place(matrix, 'move'));
      }
      if (!event.shiftKey) chosen.clear();
      return crossing(event, from);
    },
    double(event) {
      const node = strokeAt(event.clientX, event.clientY);
      if (open(node)) choosePart(node.dataset.id);
    },
  };

  function choosePart(id) {
    const strokes = lineNow(app.current).strokes;
    const part = strokes.find((s) => s.id === id)?.part;
    if (!part) { notice('This line belongs to no part yet; give it one below'); return; }
    chosen.set(strokes.filter((s) => s.part === part).map((s) => s.id));
  }

  // A line drawn across others chooses what it crosses.
  function crossing(event, from) {
    const path = [from];
    const node = make('path', { class: 'crossing' }, app.paper.layers['pen-layer']);
    let last = [event.clientX, event.clientY];
    const take = (x, y) => { const hit = strokeAt(x, y); if (open(hit)) chosen.ids.add(hit.dataset.id); };
    take(...last);
    return {
      move(e) {
        const to = [e.clientX, e.clientY];
        const steps = Math.max(1, Math.ceil(Math.hypot(to[0] - last[0], to[1] - last[1]) / 4));
        for (let k = 1; k <= steps; k += 1) take(last[0] + ((to[0] - last[0]) * k) / steps, last[1] + ((to[1] - last[1]) * k) / steps);
        last = to;
        path.push(app.view.toPaper(...to));
        node.setAttribute('d', `M${path.map((p) => p.join(',')).join(' ')}`);
        for (const item of app.paper.layers.ink.children) item.classList.toggle('chosen', chosen.ids.has(item.dataset.id));
      },
      up() { node.remove(); chosen.show(); },
      cancel() { node.remove(); chosen.show(); },
    };
  }

  const bend = {
    id: 'bend', label: 'Bend', key: 'b', pen: 'Bend: drag a line; only what is near follows',
    down(event, from) {
      const reach = hand.reach / app.view.zoom;
      const near = (s) => { const [a, b, c, d] = boundsOf([s]); return from[0] > a - 2 * reach && from[0] < c + 2 * reach && from[1] > b - 2 * reach && from[1] < d + 2 * reach; };
      const pool = (lineNow(app.current)?.strokes || []).filter((s) => !app.parts.closed(s.part));
      let strokes = chosen.size ? chosen.strokes() : [];
      if (!strokes.length) {
        // Without a choice the line under the pen bends, and what meets it comes along.
        const hit = strokeAt(event.clientX, event.clientY);
        const stroke = hit && pool.find((s) => s.id === hit.dataset.id);
        if (!stroke) { notice('Start on the line to bend, or choose lines first'); return null; }
        strokes = [stroke, ...pool.filter((s) => s !== stroke && touches(s, stroke))];
      }
      strokes = strokes.filter(near);
      const nodes = strokes.map((s) => [app.paper.stroke(s.id), s]);
      const ring = make('circle', { cx: from[0], cy: from[1], r: reach, class: 'reach-ring' }, app.paper.layers['pen-layer']);
      let by = [0, 0];
      return {
        move(e) {
          const to = app.view.toPaper(e.clientX, e.clientY);
          by = [to[0] - from[0], to[1] - from[1]];
          for (const [node, s] of nodes) {
            node?.setAttribute('d', warped(s.d, (x, y) => {
              const far = Math.hypot(x - from[0], y - from[1]) / (2 * reach);
              const w = far < 1 ? Math.cos((far * Math.PI) / 2) ** 2 : 0;
              return [x + w * by[0], y + w * by[1]];
            }));
          }
        },
        async up() {
          ring.remove();
          if (!strokes.length || Math.hypot(...by) < 0.2) { app.draw(); return; }
          await change(app, { do: 'bend', ids: strokes.map((s) => s.id), at: from.map((v) => round(v)), by: by.map((v) => round(v)), reach: round(reach) });
          app.draw();
        },
        cancel() { ring.remove(); app.draw(); },
      };
    },
  };
  return [choose, bend];
}

function touches(a, b) {
  const ends = [[a.points[0], a.points[1]], [a.points.at(-2), a.points.at(-1)]];
  const knots = [];
  for (let k = 0; k < b.points.length; k += 6) knots.push([b.points[k], b.points[k + 1]]);
  return ends.some((p) => knots.some((q) => Math.hypot(p[0] - q[0], p[1] - q[1]) < 6));
}

export function mirrored(chosen) {
  const [x0, y0, x1, y1] = boundsOf(chosen.strokes());
  return about((x0 + x1) / 2, (y0 + y1) / 2, multiply(scaledBy(-1, 1), shifted(0, 0)));
}
