// The model sheet of a prop, and the outlines that are drawn over it.

import { fill, html } from '../dom.js';
import { notice } from '../api.js';
import { round } from '../pure/geometry.js';
import { make } from '../shot/paper.js';
import { KINDS } from './list.js';

const WAYS = { points: 'Move points', ...KINDS, line: 'Line on it', ring: 'Ring round it', axis: 'Axis' };
const SAYS = {
  points: 'Choose a form in the list or on the sheet; drag its points. A double press on its outline adds one; Delete takes the last held away.',
  turned: 'Turned profile: click one side of it from end to end; it is turned about the axis. Enter ends it, Esc drops it.',
  plate: 'Plate: click its outline all the way round. Enter ends it.', box: 'Box: click two opposite corners.',
  tube: 'Tube: click along its middle. Enter ends it; end where it began for a ring.',
  line: 'Line on it: choose a form, then click along the line as it is seen on its front. Enter ends it.',
  ring: 'Ring round it: choose a turned form, then click the height of the line.',
  axis: 'Axis: drag the dashed line to the middle of what is turned.',
};
const NEAR = 9;
const apart = (a, b) => Math.hypot(a[0] - b[0], a[1] - b[1]);

export class Sheet {
  constructor(page) {
    this.page = page;
    this.svg = document.getElementById('prop-sheet');
    this.way = page.made.shapes.length ? 'points' : 'turned';
    this.path = [];
    this.held = -1;
    if (!page.made.axis) page.made = { ...page.made, axis: round(page.size[0] / 2) };
    this.build();
    this.svg.addEventListener('pointerdown', (event) => this.down(event));
    this.svg.addEventListener('dblclick', (event) => this.twice(event));
    this.svg.addEventListener('pointermove', (event) => { if (this.path.length) { this.at = this.place(event); this.show(); } });
  }

  build() {
    const bar = document.querySelector('.prop-tools');
    const ways = Object.entries(WAYS).map(([id, words]) => html`<button type="button" data-way="${id}">${words}</button>`);
    const sheets = this.page.sheets.map(({ sha256, caption }) => html`<option value="${sha256}"
      ${sha256 === this.page.sheet ? 'selected' : ''}>${caption}</option>`);
    fill(bar, html`${ways}<span class="push"></span><label>sheet <select name="sheet"
      aria-label="Sheet picture">${sheets}${this.page.sheets.some((s) => s.sha256 === this.page.sheet) ? ''
        : html`<option value="${this.page.sheet ?? ''}" selected>${this.page.sheet ? 'a picture of its own' : 'none'}</option>`}</select></label><label
          class="file-button">Bring a picture<input type="file" accept=".png,.jpg,.jpeg,.tif,.tiff,.webp"></label>`);
    for (const button of bar.querySelectorAll('[data-way]')) button.addEventListener('click', () => this.use(button.dataset.way));
    bar.querySelector('select').addEventListener('change', ({ target }) => this.otherSheet(target.value));
    bar.querySelector('[type="file"]').addEventListener('change', ({ target }) => { if (target.files[0]) this.page.bringSheet(target.files[0]); });
  }

  otherSheet(sha256) {
    const picture = new Image();
    picture.onload = () => { this.page.size = [picture.naturalWidth, picture.naturalHeight]; this.page.sheet = sha256; this.show(); this.page.save(); };
    picture.src = `/pictures/${sha256}`;
  }

  use(way) { this.end(); this.way = way; this.show(); }

  place({ clientX, clientY }) {
    const { x, y } = new DOMPoint(clientX, clientY).matrixTransform(this.svg.getScreenCTM().inverse());
    return [round(x), round(y)];
  }

  get px() { return 1 / this.svg.getScreenCTM().a; }

  show() {
    const { page, svg } = this;
    const { made, chosen } = page;
    svg.replaceChildren();
    svg.setAttribute('viewBox', `0 0 ${page.size.join(' ')}`);
    if (page.sheet) make('image', { href: `/pictures/${page.sheet}`, width: page.size[0], height: page.size[1] }, svg);
    make('line', { class: 'axis', x1: made.axis, x2: made.axis, y1: 0, y2: page.size[1] }, svg);
    made.shapes.forEach((shape, k) => {
      const group = make('g', { class: k === chosen ? 'form chosen' : 'form', 'data-k': k }, svg);
      const path = this.outline(shape);
      make('polyline', { points: path.map((p) => p.join()).join(' ') }, group);
      if (shape.kind === 'turned') make('polyline',
        { class: 'other-side', points: shape.path.map(([x, y]) => [2 * made.axis - x, y].join()).join(' ') }, group);
      if (k === chosen && this.way === 'points') shape.path.forEach(([cx, cy], n) => make('circle',
        { cx, cy, r: 5 * this.px, class: n === this.held ? 'held' : '' }, group));
    });
    made.details.forEach((line) => {
      const way = line.ring ? [[0, line.path[0][1]], [page.size[0], line.path[0][1]]] : line.path;
      if (!line.ring) make('polyline', { class: 'detail', points: way.map((p) => p.join()).join(' ') }, svg);
      else make('line', { class: 'detail', x1: made.axis - 14 * this.px, x2: made.axis + 14 * this.px, y1: way[0][1], y2: way[0][1] }, svg);
    });
    if (this.path.length) {
      make('polyline', { class: 'drawing', points: [...this.path, this.at ?? this.path.at(-1)].map((p) => p.join()).join(' ') }, svg);
      for (const [cx, cy] of this.path) make('circle', { cx, cy, r: 4 * this.px, class: 'drawing' }, svg);
    }
    for (const button of document.querySelectorAll('[data-way]')) button.setAttribute('aria-pressed', String(button.dataset.way === this.way));
    document.getElementById('prop-says').textContent = SAYS[this.way];
  }

  outline({ kind, path }) {
    if (kind === 'plate') return [...path, path[0]];
    if (kind !== 'box') return path;
    const [[a, b], [c, d]] = path;
    return [[a, b], [c, b], [c, d], [a, d], [a, b]];
  }

  key(event) {
    if (event.key === 'Enter') this.end();
    else if (event.key === 'Escape') { this.path = []; this.show(); }
    else if (event.key === 'Delete' || event.key === 'Backspace') this.remove();
  }

  down(event) {
    const at = this.place(event);
    if (event.button) return;
    event.preventDefault();
    this.svg.focus({ preventScroll: true });
    if (this.way === 'points') this.take(event, at);
    else if (this.way === 'axis') this.drag(event, (to) => ({ ...this.page.made, axis: to[0] }));
    else if (this.way === 'ring') this.detail([at], true);
    else {
      const near = NEAR * this.px;
      // On its beginning an outline is shut; a tube is a ring then.
      const shuts = this.path.length > 2 && apart(at, this.path[0]) < near;
      if (!this.path.length || apart(at, this.path.at(-1)) > 1) this.path.push(shuts ? this.path[0] : at);
      if (shuts || (this.way === 'box' && this.path.length === 2)) this.end();
      else this.show();
    }
  }

  take(event, at) {
    const { page } = this;
    const near = NEAR * this.px;
    const points = page.made.shapes[page.chosen]?.path ?? [];
    const found = points.findIndex((p) => apart(p, at) < near);
    if (found >= 0) {
      this.held = found;
      this.drag(event, (to) => this.withPath(page.chosen, points.map((p, k) => (k === found ? to : p))));
      this.show();
      return;
    }
    this.held = -1;
    const form = event.target.closest('[data-k]');
    page.choose(form ? Number(form.dataset.k) : -1);
  }

  // A new point where the outline of the chosen form is pressed twice.
  twice(event) {
    const { page } = this;
    const shape = page.made.shapes[page.chosen];
    if (this.way !== 'points' || !shape || shape.kind === 'box') return;
    const at = this.place(event);
    const { path } = shape;
    const gaps = this.outline(shape).slice(1).map((to, k) => {
      const from = path[k];
      const [x, y] = [to[0] - from[0], to[1] - from[1]];
      const t = Math.max(0, Math.min(1, ((at[0] - from[0]) * x + (at[1] - from[1]) * y) / (x * x + y * y || 1)));
      return apart(at, [from[0] + t * x, from[1] + t * y]);
    });
    const k = gaps.indexOf(Math.min(...gaps));
    if (!(gaps[k] < NEAR * this.px) || path.some((p) => apart(p, at) < NEAR * this.px)) return;
    this.held = k + 1;
    page.becomes(this.withPath(page.chosen, [...path.slice(0, k + 1), at, ...path.slice(k + 1)]));
  }

  remove() {
    const { page, held } = this;
    const shape = page.made.shapes[page.chosen];
    if (!shape) return;
    if (this.way === 'points' && held >= 0 && shape.path.length > 2 && shape.kind !== 'box') {
      this.held = -1;
      page.becomes(this.withPath(page.chosen, shape.path.filter((_, k) => k !== held)));
    } else this.drop(page.chosen);
  }

  // The form goes, with what is drawn on it.
  drop(k) {
    const { page } = this;
    if (!page.made.shapes[k]) return;
    page.chosen = -1;
    const details = page.made.details.filter(({ form }) => form !== k).map((line) => ({ ...line, form: line.form - (line.form > k ? 1 : 0) }));
    page.becomes({ ...page.made, shapes: page.made.shapes.filter((_, n) => n !== k), details });
  }

  withPath(k, path) { return { ...this.page.made, shapes: this.page.made.shapes.map((shape, n) => (n === k ? { ...shape, path } : shape)) }; }

  drag(event, made) {
    const { svg, page } = this;
    svg.setPointerCapture(event.pointerId);
    let last = null;
    const move = (e) => { last = made(this.place(e)); page.becomes(last, true); };
    const up = () => { svg.removeEventListener('pointermove', move); if (last) page.becomes(last); };
    svg.addEventListener('pointermove', move);
    svg.addEventListener('pointerup', up, { once: true });
    svg.addEventListener('pointercancel', up, { once: true });
  }

  end() {
    const { way, page } = this;
    const path = this.path.filter((p, k, all) => !k || apart(p, all[k - 1]) > 0.5);
    this.path = [];
    this.at = null;
    if (path.length < 2 || way === 'points' || way === 'axis') { this.show(); return; }
    if (way === 'line') { this.detail(path, false); return; }
    const count = page.made.shapes.filter(({ kind }) => kind === way).length + 1;
    const own = way === 'plate' && path.length > 3 && apart(path[0], path.at(-1)) < 0.5 ? path.slice(0, -1) : path;
    const shape = { kind: way, name: `${KINDS[way].toLowerCase()} ${count}`, path: own, thick: 10, near: 0, around: 1, rounded: false,
      pot: page.pots[0]?.id ?? 0, glass: false, hinge: '', swing: 100 };
    page.chosen = page.made.shapes.length;
    page.becomes({ ...page.made, shapes: [...page.made.shapes, shape] });
  }

  detail(path, ring) {
    const { page } = this;
    const shape = page.made.shapes[page.chosen];
    if (!shape || (ring && shape.kind !== 'turned')) { notice(ring ? 'Choose a turned form in the list first' : 'Choose the form in the list first');
      this.show(); return; }
    page.becomes({ ...page.made, details: [...page.made.details, { form: page.chosen, path, ring }] });
  }
}
