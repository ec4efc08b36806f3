// A part taken off a page of the model sheet and laid into drawings by its four corners.

import { fill, html } from '../../dom.js';
import { get, notice } from '../../api.js';
import { boundsOf } from '../../pure/geometry.js';
import { convex, laidOn } from '../../pure/quad.js';
import { make, spot } from '../../shot/paper.js';
import { change } from '../change.js';
import { View } from './view.js';

const NEAR = 12;
// How high a part is laid at first, in shares of the paper.
const FIRST = 0.2;

const apart = (a, b) => Math.hypot(a[0] - b[0], a[1] - b[1]);
const mean = (quad) => [0, 1].map((k) => quad.reduce((sum, p) => sum + p[k], 0) / 4);

function curve(points) {
  let d = `M${points[0].toFixed(1)} ${points[1].toFixed(1)}`;
  for (let k = 2; k + 5 < points.length; k += 6) d += `C${points.slice(k, k + 6).map((v) => v.toFixed(1)).join(' ')}`;
  return d;
}

export class SheetView extends View {
  constructor(ledge) {
    super(ledge);
    Object.assign(this, { lines: [], chosen: [], quad: null });
  }

  show() {
    if (!this.body.querySelector('.off-sheet')) this.build();
    fill(this.form.querySelector('datalist'), this.app.parts.names().map((name) => html`<option value="${name}"></option>`));
    this.ledge.button('Parts of the run', () => this.ledge.use('parts'));
    this.draw();
  }

  get pages() { return JSON.parse(document.getElementById('dock-picture')?.dataset.pictures ?? '[]'); }

  // A page, its lines to choose from, and the part they become.
  build() {
    const pages = this.pages.map(({ sha256, caption }) => html`<option value="${sha256}">${caption}</option>`);
    fill(this.body, html`<svg class="sheet-page" role="img" aria-label="Lines of the page" tabindex="0"></svg><form
      class="part-form off-sheet"><b>Off the model sheet</b>
        <label>page <select name="page">${pages}</select></label><label>as <input name="part" list="sheet-parts" maxlength="60" size="14"
          placeholder="name of a part"><datalist id="sheet-parts"></datalist></label>
        <button type="button" id="lay-part" class="main">Lay it here</button>
        <p class="quiet">${pages.length ? 'Draw a box round what you want; then drag it on the paper, or its corners: with Shift one alone, with Alt it turns.'
          : 'The model of this level has no sheet picture yet; add one on the page of the model.'}</p></form>`);
    const form = this.body.querySelector('form');
    this.form = form;
    this.svg = this.body.querySelector('svg');
    form.addEventListener('submit', (event) => event.preventDefault());
    form.page.addEventListener('change', () => this.read());
    form.querySelector('#lay-part').addEventListener('click', () => this.finish());
    this.svg.addEventListener('pointerdown', (event) => this.box(event));
    if (pages.length) this.read();
  }

  async read() {
    const page = this.form.page.value;
    this.svg.replaceChildren();
    Object.assign(this, { lines: [], chosen: [], quad: null });
    try {
      const { strokes, size } = await get(`/api/pictures/${page}/lines`);
      if (page !== this.form.page.value) return;
      this.lines = strokes;
      this.svg.setAttribute('viewBox', `0 0 ${size.join(' ')}`);
      make('image', { href: `/pictures/${page}`, width: size[0], height: size[1] }, this.svg);
      for (const { stroke } of strokes) make('path', { d: curve(stroke.points) }, this.svg);
    } catch (error) { notice(error.message, true); }
  }

  box(event) {
    event.preventDefault();
    const { svg } = this;
    const back = svg.getScreenCTM().inverse();
    const at = (e) => { const { x, y } = new DOMPoint(e.clientX, e.clientY).matrixTransform(back); return [x, y]; };
    const from = at(event);
    const rect = make('rect', { class: 'box' }, svg);
    svg.setPointerCapture(event.pointerId);
    const move = (e) => {
      const to = at(e);
      const [left, top, right, bottom] = [Math.min(from[0], to[0]), Math.min(from[1], to[1]), Math.max(from[0], to[0]), Math.max(from[1], to[1])];
      for (const [k, v] of Object.entries({ x: left, y: top, width: right - left, height: bottom - top })) rect.setAttribute(k, v);
      this.chosen = this.lines.filter(({ stroke }) => { const [a, b, c, d] = boundsOf([stroke]); return a >= left && b >= top && c <= right && d <= bottom; });
      svg.querySelectorAll('path').forEach((node, k) => node.classList.toggle('chosen', this.chosen.includes(this.lines[k])));
    };
    const up = () => {
      svg.removeEventListener('pointermove', move);
      rect.remove();
      if (!this.chosen.length) { notice('No line lies wholly in this box'); return; }
      this.start();
    };
    svg.addEventListener('pointermove', move);
    svg.addEventListener('pointerup', up, { once: true });
  }

  // Laid in the middle of what is seen, upright.
  start() {
    const { view } = this.app.table;
    this.bounds = boundsOf(this.chosen.map(({ stroke }) => stroke));
    const [left, top, right, bottom] = this.bounds;
    const rect = view.element.getBoundingClientRect();
    const [x, y] = view.toPaper(rect.x + rect.width / 2, rect.y + rect.height / 2);
    const scale = (FIRST * view.size[1]) / Math.max(bottom - top, right - left, 1);
    const [w, h] = [((right - left) * scale) / 2, ((bottom - top) * scale) / 2];
    this.quad = [[x - w, y - h], [x + w, y - h], [x + w, y + h], [x - w, y + h]];
    this.app.tools.use('sheet-part');
    this.draw();
  }

  draw() {
    const { layers } = this.app.table.paper;
    layers.prop.replaceChildren();
    if (!this.quad || this.app.tools.now?.id !== 'sheet-part') return;
    for (const { stroke } of this.chosen) make('path', { d: curve(laidOn(stroke.points, this.bounds, this.quad)), class: 'wire' }, layers.prop);
    make('polygon', { points: this.quad.map((p) => p.join()).join(' '), class: 'round' }, layers.prop);
    for (const at of this.quad) spot(at, 'circle', { r: 7, class: 'grows' }, layers.prop);
  }

  tool() {
    return {
      id: 'sheet-part', pen: 'Off the sheet: drag it or a corner; with Shift that corner alone, with Alt it turns. Enter lays it into the drawing',
      enter: () => { if (!this.quad) { this.open(); notice('Draw a box round a part on the page of the model sheet, in the ledge'); } this.draw(); },
      leave: () => { this.app.table.paper.layers.prop.replaceChildren(); },
      redrawn: () => this.draw(),
      finish: () => this.finish(),
      drop: () => { const had = Boolean(this.quad); this.quad = null; this.draw(); return had; },
      down: (event, from) => this.down(event, from),
    };
  }

  down(event, from) {
    const { view } = this.app.table;
    const start = this.quad;
    if (!start) return null;
    const corner = start.findIndex((p) => apart(p, from) < NEAR / view.zoom);
    const centre = mean(start);
    const about = (to, turns) => {
      const angle = turns ? Math.atan2(to[1] - centre[1], to[0] - centre[0]) - Math.atan2(from[1] - centre[1], from[0] - centre[0]) : 0;
      const size = turns ? 1 : apart(to, centre) / Math.max(apart(from, centre), 1);
      const [c, s] = [Math.cos(angle) * size, Math.sin(angle) * size];
      return start.map(([x, y]) => [centre[0] + c * (x - centre[0]) - s * (y - centre[1]), centre[1] + s * (x - centre[0]) + c * (y - centre[1])]);
    };
    const moved = (to, e) => {
      if (e.altKey) return about(to, true);
      if (corner < 0) return start.map(([x, y]) => [x + to[0] - from[0], y + to[1] - from[1]]);
      if (e.shiftKey) return start.map((p, k) => (k === corner ? to : p));
      return about(to, false);
    };
    return {
      move: (e) => { const quad = moved(view.toPaper(e.clientX, e.clientY), e); if (convex(quad)) { this.quad = quad; this.draw(); } },
      up: () => {},
      cancel: () => { this.quad = start; this.draw(); },
    };
  }

  // Into this drawing; the frame stays for the next one.
  async finish() {
    const { app, form } = this;
    if (!this.quad) { notice('Draw a box round a part on the page first'); return; }
    const part = form.part.value.trim();
    const answer = await change(app, { do: 'lay-part', strokes: this.chosen.map(({ stroke }) => stroke), box: this.bounds, quad: this.quad, part });
    if (!answer) return;
    await app.table.draw();
    notice(`${part || 'The lines'} lie in drawing ${app.current.number}; in the next drawing fit the frame and press Enter again`);
  }
}
