// The chosen strokes of the drawing on the table, and the frame round them.

import { lineNow } from '../shot/drawings.js';
import { make } from '../shot/paper.js';
import { boundsOf, rows } from '../pure/geometry.js';
import { change } from './change.js';

export class Chosen {
  constructor(app, onChange) { this.app = app; this.ids = new Set(); this.onChange = onChange; }

  get size() { return this.ids.size; }

  list() { return [...this.ids]; }

  strokes() { return (lineNow(this.app.current)?.strokes || []).filter((s) => this.ids.has(s.id)); }

  set(ids) { this.ids.clear(); for (const id of ids) this.ids.add(id); this.show(); }

  toggle(id) { if (!this.ids.delete(id)) this.ids.add(id); this.show(); }

  clear() { if (this.ids.size) { this.ids.clear(); this.show(); } }

  // What is not in the drawing any more cannot be chosen.
  keepReal() {
    const real = new Set((lineNow(this.app.current)?.strokes || []).map((s) => s.id));
    for (const id of this.ids) if (!real.has(id)) this.ids.delete(id);
  }

  get inkNodes() { return [...this.app.table.paper.layers.ink.children]; }

  mark() { for (const node of this.inkNodes) node.classList.toggle('chosen', this.ids.has(node.dataset.id)); }

  show() {
    this.mark();
    this.frame();
    this.onChange();
  }

  // The frame round what is chosen, with handles to scale and to turn by.
  frame() {
    const { app } = this;
    const { zoom } = app.table.view;
    const layer = app.table.paper.layers.frame;
    layer.replaceChildren();
    if (!this.ids.size || app.tools.now?.id !== 'choose') return;
    const strokes = this.strokes();
    if (!strokes.length) return;
    const pad = 8 / zoom;
    const [x0, y0, x1, y1] = boundsOf(strokes).map((v, k) => v + (k < 2 ? -pad : pad));
    this.box = [x0, y0, x1, y1];
    make('rect', { x: x0, y: y0, width: x1 - x0, height: y1 - y0, class: 'chosen-frame' }, layer);
    const size = 9 / zoom;
    for (const [x, y, grip] of [[x0, y0, 'nw'], [x1, y0, 'ne'], [x0, y1, 'sw'], [x1, y1, 'se']]) {
      make('rect', { x: x - size / 2, y: y - size / 2, width: size, height: size, class: 'grip', 'data-grip': grip }, layer);
    }
    const top = y0 - 26 / zoom;
    make('path', { d: `M${(x0 + x1) / 2} ${y0}V${top}`, class: 'chosen-frame' }, layer);
    make('circle', { cx: (x0 + x1) / 2, cy: top, r: size * 0.65, class: 'grip', 'data-grip': 'turn' }, layer);
  }

  preview(matrix) {
    const transform = `matrix(${matrix.join(' ')})`;
    for (const node of this.inkNodes) if (this.ids.has(node.dataset.id)) node.setAttribute('transform', transform);
    this.app.table.paper.layers.frame.setAttribute('transform', transform);
  }

  async place(matrix, what) {
    const { app } = this;
    const entry = app.current;
    const answer = await change(app, { do: 'place', ids: this.list(), matrix: rows(matrix), what }, entry);
    app.table.paper.layers.frame.removeAttribute('transform');
    if (app.current === entry) await app.table.draw();
    return answer;
  }
}
