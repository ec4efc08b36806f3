// A living hold: the drawings of one pose by turns, and a slow bend from exposure to exposure.

import { fill, html } from '../../dom.js';
import { get, notice, post } from '../../api.js';
import { change } from '../../edits/queue.js';
import { round } from '../../pure/geometry.js';
import { swayed } from '../../pure/sway.js';
import { lineNow } from '../../shot/drawings.js';
import { make, spot } from '../../shot/paper.js';
import { reachOf } from '../../time/alive.js';
import { View } from './view.js';

const CHARTS = { 'slow both': 'slow at both ends', even: 'even', 'ease in': 'gathering at the end', 'ease out': 'gathering at the start' };
// Px of the screen within which a handle is taken, and from which a drag is more than a click.
const NEAR = 10;
const LONG = 5;

const apart = (a, b) => Math.hypot(a[0] - b[0], a[1] - b[1]);
const end = ({ at, by }) => [at[0] + by[0], at[1] + by[1]];
const pinned = ({ by }) => !by[0] && !by[1];

export class HoldView extends View {
  constructor(ledge) {
    super(ledge);
    // Points of the bend: { at, by }, px; a pin goes nowhere.
    this.points = [];
  }

  show() {
    if (!this.body.querySelector('.hold-form')) this.build();
    this.draw();
    if (!this.kept) this.read();
  }

  // ---- bends under names, for every shot of the production; in shares of the figure's box

  get keptUrl() { return `/api/shots/${this.app.data.shot.id}/bends`; }

  async read() {
    this.kept = [];
    try { this.kept = (await get(this.keptUrl)).bends; } catch (error) { notice(error.message, true); }
    this.listKept();
  }

  listKept() {
    const list = this.kept ?? [];
    fill(this.body.querySelector('#sway-kept'),
      html`<option value="">Kept bends …</option><option
        value="keep">keep this bend …</option>${list.map(({ id, name }) => html`<option
          value="use-${id}">use “${name}”</option>`)}${list.map(({ id, name }) => html`<option value="drop-${id}">forget “${name}”</option>`)}`);
  }

  // Left, top, width and height of the figure as it is drawn here; null without lines.
  get box() {
    const points = (lineNow(this.app.current)?.strokes || []).flatMap((s) => s.points);
    if (!points.length) return null;
    const [xs, ys] = [0, 1].map((k) => points.filter((_, i) => i % 2 === k));
    const [left, top] = [xs, ys].map((all) => all.reduce((a, b) => Math.min(a, b)));
    return [left, top, ...[[xs, left], [ys, top]].map(([all, low]) => Math.max(1, all.reduce((a, b) => Math.max(a, b)) - low))];
  }

  async useKept(value) {
    const [act, id] = value.split('-');
    const { box } = this;
    const found = this.kept.find((bend) => bend.id === Number(id));
    try {
      if (act === 'keep') {
        if (!this.points.length || !box) { notice('Place points on a drawing with lines first; then the bend can be kept'); return; }
        const name = window.prompt('Name of the bend');
        if (!name) return;
        const [left, top, width, height] = box;
        const points = this.points.map(({ at, by }) => ({ at: [(at[0] - left) / width, (at[1] - top) / height], by: [by[0] / width, by[1] / height] }));
        this.kept = (await post(this.keptUrl, { name, points })).bends;
      } else if (act === 'use' && found) {
        if (!box) { notice('Clean or trace this drawing first; a bend is laid on its lines'); return; }
        const [left, top, width, height] = box;
        this.points = found.points.map(({ at, by }) => ({ at: [round(left + at[0] * width), round(top + at[1] * height)],
          by: [round(by[0] * width), round(by[1] * height)] }));
        this.app.tools.use('sway');
        this.draw();
      } else if (found) this.kept = (await post(`${this.keptUrl}/${found.id}/drop`)).bends;
    } catch (error) { notice(error.message, true); }
  }

  build() {
    const { body, app } = this;
    const [first, count] = app.data.spans.find(([, , d]) => d === app.current.id) ?? [1, 1];
    const charts = Object.entries(CHARTS).map(([id, words]) => html`<option value="${id}">${words}</option>`);
    fill(body, html`<form class="part-form hold-form"><b>A hold that lives</b>
        <label>frames <input name="first" type="number" min="1" value="${first}"> to <input name="last" type="number" min="1"
          value="${Math.max(first + count - 1, app.data.shot.frames)}"></label>
        <label>each for <input name="hold" type="number" min="1" max="24" value="2"></label>
        <label><input name="count" type="number" min="0" max="5" value="2"> redraws made</label>
        <label>they differ <select name="strength"><option value="0.5">half as much as drawn</option><option value="1" selected>as drawn</option><option
          value="2">twice as much</option></select></label>
        <button type="button" id="keep-alive" class="main">Keep alive</button>
        <p class="quiet">What stands in these frames, and redraws of the first, by turns; none stands twice running.</p></form>
      <form class="part-form hold-form"><b>Bend it over time</b>
        <label>time <select name="chart">${charts}</select></label><label><input name="back" type="checkbox"> and back</label>
        <label>seen at <input name="seen" type="range" min="0" max="100" value="100" aria-label="How far the bend is shown"></label>
        <button type="button" id="sway-tool">Place points</button><button type="button" id="sway-none">Take them away</button>
        <select id="sway-kept" aria-label="Bends kept under names"></select>
        <button type="button" id="bend-hold" class="main">Bend</button>
        <p class="quiet" id="sway-says"></p></form>`);
    [this.form, this.bend] = body.querySelectorAll('form');
    for (const form of [this.form, this.bend]) form.addEventListener('submit', (event) => event.preventDefault());
    this.bend.seen.addEventListener('input', () => this.draw());
    this.listKept();
    const kept = body.querySelector('#sway-kept');
    kept.addEventListener('change', async () => { await this.useKept(kept.value); this.listKept(); });
    const acts = { 'keep-alive': () => this.keepAlive(), 'sway-tool': () => app.tools.use('sway'), 'sway-none': () => { this.points = []; this.draw(); },
      'bend-hold': () => this.send() };
    for (const [id, act] of Object.entries(acts)) body.querySelector(`#${id}`).addEventListener('click', act);
  }

  get span() {
    const [first, last] = [Number(this.form.first.value), Number(this.form.last.value)];
    return { level: this.app.level, first: Math.min(first, last), last: Math.max(first, last) };
  }

  async do(what, more, words) {
    const { app } = this;
    try {
      await change('times', app.data.shot.id, what, { ...this.span, ...more });
      await app.sync.refresh();
      await app.table.draw();
      notice(`${words}; it can be undone as one below the sheet`);
    } catch (error) { notice(error.message, true); }
  }

  // The drawings that stand in the span, each once.
  get standing() {
    const { first, last } = this.span;
    return [...new Set(this.app.data.spans.filter(([at, count]) => at <= last && at + count > first).map(([, , d]) => d))];
  }

  async keepAlive() {
    const { form, app, standing } = this;
    const count = Math.round(Number(form.count.value) || 0);
    let found = { reach: 0, words: '' };
    try {
      if (count && standing.length) found = await reachOf(app.level, standing, Number(form.strength.value));
    } catch (error) { notice(error.message, true); return; }
    const { reach, words } = found;
    await this.do('living', { hold: Math.round(Number(form.hold.value) || 2), count, reach },
      `Kept alive by ${standing.length + count} drawings${words && `; ${words}`}`);
  }

  async send() {
    const pins = this.points.filter(pinned).map(({ at }) => at);
    const handles = this.points.filter((point) => !pinned(point));
    if (!handles.length) { notice('Drag a point to where it should be at the end; click to pin one'); this.app.tools.use('sway'); return; }
    await this.do('bend-hold', { handles, pins, chart: this.bend.chart.value, back: this.bend.back.checked }, 'Bent; every exposure has a drawing of its own');
  }

  // The points, and the drawing as it is bent, on the paper.
  draw() {
    const { layers } = this.app.table.paper;
    layers.sway.replaceChildren();
    if (this.ledge.view !== 'hold' || !this.bend) return;
    const moved = this.points.filter((point) => !pinned(point)).length;
    document.getElementById('sway-says').textContent = this.points.length
      ? `${moved} moved, ${this.points.length - moved} pinned. Drag a point on, or press it with Shift to take it away.`
      : 'Drag on the paper: that point goes there by the last exposure. Click: that point is pinned, feet above all.';
    if (moved) {
      const share = Number(this.bend.seen.value) / 100;
      for (const { points } of lineNow(this.app.current)?.strokes || []) {
        const bent = swayed(points, this.points, share);
        make('path', { d: `M${bent.slice(0, 2).join()}${curve(bent)}` }, layers.sway);
      }
    }
    for (const point of this.points) {
      const [[x, y], [u, v]] = [point.at, end(point)];
      if (pinned(point)) { spot(point.at, 'rect', { x: -6, y: -6, width: 12, height: 12, class: 'pin' }, layers.sway); continue; }
      make('line', { x1: x, y1: y, x2: u, y2: v }, layers.sway);
      spot(point.at, 'circle', { r: 4, class: 'from' }, layers.sway);
      spot(end(point), 'circle', { r: 7 }, layers.sway);
    }
  }

  tool() {
    return {
      id: 'sway', pen: 'Bend a hold: drag a point to where it goes, click to pin one, Shift takes one away',
      enter: () => { this.open(); this.draw(); },
      leave: () => {},
      down: (event, from) => this.down(event, from),
    };
  }

  down(event, from) {
    const { view } = this.app.table;
    const reach = NEAR / view.zoom;
    const held = this.points.find((point) => apart(end(point), from) < reach);
    if (held && event.shiftKey) { this.points = this.points.filter((point) => point !== held); this.draw(); return null; }
    const point = held ?? { at: from.map((v) => round(v)), by: [0, 0] };
    const before = point.by;
    if (!held) this.points.push(point);
    return {
      move: (e) => {
        const to = view.toPaper(e.clientX, e.clientY);
        if (apart(to, from) * view.zoom > LONG) { point.by = [round(to[0] - point.at[0]), round(to[1] - point.at[1])]; this.draw(); }
      },
      up: () => this.draw(),
      cancel: () => { if (held) point.by = before; else this.points = this.points.filter((one) => one !== point); this.draw(); },
    };
  }
}

// Path data of cubic segments of flat points.
function curve(points) {
  let d = '';
  for (let k = 2; k + 5 < points.length; k += 6) d += `C${points.slice(k, k + 6).map((v) => round(v)).join(' ')}`;
  return d;
}
