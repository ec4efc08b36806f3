// In-betweens between two lined drawings: their spacing, parts that go their own way, arcs.

import { fill, html } from '../../dom.js';
import { notice } from '../../api.js';
import { round } from '../../pure/geometry.js';
import { even, spaced, SPACINGS } from '../../pure/spacing.js';
import { Arcs } from '../arcs.js';
import { View } from './view.js';

const CHARTS = { even: 'even', 'ease in': 'gathering at the end', 'ease out': 'gathering at the start', 'slow both': 'gathering at both',
  own: 'as the ticks stand' };

// The chart's line in its picture: from the first drawing to the last, with room for a wind-up and an over-shoot.
const [LEFT, LONG, LEAST, MOST] = [60, 200, -0.25, 1.25];

export class BetweenView extends View {
  constructor(ledge) {
    super(ledge);
    // Spacing and lag of parts that go their own way, by name.
    this.parts = {};
    this.arcs = new Arcs(this.app, this);
  }

  show() {
    const { app, body } = this;
    if (!body.querySelector('.between')) this.build();
    const part = body.querySelector('[name="part"]');
    const before = part.value;
    fill(part, html`<option value="">all lines</option>${app.parts.names().map((name) => html`<option value="${name}">${name}</option>`)}`);
    part.value = before;
    this.showParts();
    this.chart();
    this.ledge.button('Make in-betweens', () => this.make(), true, 'make-between');
  }

  build() {
    const { body } = this;
    const drawings = this.app.data.run.map((d) => html`<option value="${d.id}">${d.number}${d.kind === 'key' ? ' key' : ''}</option>`);
    const charts = Object.entries(CHARTS).map(([id, words]) => html`<option value="${id}">${words}</option>`);
    fill(body, html`<div class="between-side"><form class="between"><label>between <select name="first">${drawings}</select></label><label>and <select
      name="last">${drawings}</select></label>
      <label>spacing <select name="chart">${charts}</select></label>
      <label class="own" hidden>shares <input name="shares" placeholder="0.33 0.66" size="16"></label>
      <label>of <select name="part"><option value="">all lines</option></select></label>
      <label title="Lines that a hand has corrected in one drawing between lead the same lines in the others"><input type="checkbox" name="follow"
        checked> corrections lead the others</label></form>
      <svg class="chart" viewBox="0 0 320 60" aria-label="Spacing chart"></svg></div>
      <details class="own-ways more"><summary>Parts that go their own way, and arcs</summary><div id="own-ways"></div><b>Arcs</b>
        <div id="arc-list"></div></details>
      <p class="quiet between-words">Forms move whole, limbs turn about their joints, and what passes behind another form is hidden.
        Keys and breakdowns on the way are gone through; what a hand drew stays.</p>`);
    const form = body.querySelector('form');
    [form.first.value, form.last.value] = this.nearestKeys();
    form.addEventListener('input', () => this.changed());
    form.addEventListener('submit', (event) => event.preventDefault());
    body.querySelector('.chart').addEventListener('pointerdown', (event) => this.dragTick(event));
    this.showParts();
    this.arcsChanged();
  }

  changed() {
    const form = this.body.querySelector('form');
    form.querySelector('.own').hidden = form.chart.value !== 'own';
    this.chart();
    this.arcs.again();
  }

  // Ids of the lined keys round the drawing on the table.
  nearestKeys() {
    const { run } = this.app.data;
    const k = run.indexOf(this.app.current);
    const key = (d) => d.kind === 'key' && d.strokes;
    const first = run.slice(0, k + 1).reverse().find(key) || run[0];
    const last = run.slice(run.indexOf(first) + 1).find(key) || run.at(-1);
    return [first.id, last.id];
  }

  get wanted() {
    const form = this.body.querySelector('.between');
    const { run } = this.app.data;
    const ids = [Number(form.first.value), Number(form.last.value)];
    const [a, b] = ids.map((id) => run.findIndex((d) => d.id === id)).sort((x, y) => x - y);
    // In a closed cycle those between may lie round its end.
    const ring = (this.app.cycle || []).map((d) => d.id);
    const round_ = ids.every((id) => ring.includes(id));
    const count = round_ ? ((ring.indexOf(ids[1]) - ring.indexOf(ids[0]) + ring.length) % ring.length || ring.length) - 1 : Math.max(0, b - a - 1);
    const written = form.shares.value.trim();
    const own = written ? written.split(/[\s;]+/).map(Number) : even(count);
    const parts = Object.fromEntries(Object.entries(this.parts).map(([name, { chart, lag }]) => [name, { chart: chart || null, lag }]));
    return {
      first: ids[0], last: ids[1], chart: form.chart.value === 'own' ? own : form.chart.value, part: form.part.value, count, ring: round_ ? ring : [],
      parts, bends: this.arcs.bends, follow: form.follow.checked,
    };
  }

  // Shares of the drawings between, of all lines or of a part with its own way.
  shares(part = '') {
    const { chart, count } = this.wanted;
    const own = this.parts[part];
    return spaced(own?.chart || chart, count, own?.lag || 0);
  }

  chart() {
    const x = (share) => LEFT + LONG * Math.min(MOST, Math.max(LEAST, share));
    const tick = (share, k) => html`<g class="tick" data-k="${k}"><path class="grip" d="M${x(share)} 12V48"/><path d="M${x(share)} 22V38"/></g>`;
    const end = (share) => html`<path d="M${x(share)} 14V46"/>`;
    const dot = (row) => (v) => html`<circle cx="${x(v)}" cy="${44 + 6 * Math.min(row, 2)}" r="2"/>`;
    const rows = Object.keys(this.parts).map((name, row) => html`<g class="of-part">${this.shares(name).map(dot(row))}</g>`);
    fill(this.body.querySelector('.chart'), html`<path d="M${x(0)} 30H${x(1)}"/><path class="beyond"
      d="M${x(LEAST)} 30H${x(0)}M${x(1)} 30H${x(MOST)}"/>${this.shares().map(tick)}${end(0)}${end(1)}${rows}`);
  }

  // A tick is dragged along the chart; before the first drawing it is a wind-up, beyond the last an over-shoot.
  dragTick(event) {
    const tick = event.target.closest('.tick');
    const svg = event.currentTarget;
    if (!tick) return;
    event.preventDefault();
    svg.setPointerCapture(event.pointerId);
    const k = Number(tick.dataset.k);
    const move = (e) => {
      const at = new DOMPoint(e.clientX, e.clientY).matrixTransform(svg.getScreenCTM().inverse());
      this.spaced('', k, Math.min(MOST, Math.max(LEAST, (at.x - LEFT) / LONG)));
    };
    const up = () => { svg.removeEventListener('pointermove', move); this.arcs.again(); };
    svg.addEventListener('pointermove', move);
    svg.addEventListener('pointerup', up, { once: true });
    svg.addEventListener('pointercancel', up, { once: true });
  }

  // Drawing k of those between lies at another share of the way: of all lines, or of a part that goes its own way.
  spaced(part, k, share) {
    const shares = this.shares(part in this.parts ? part : '').map((v) => round(v, 100));
    shares[k] = round(share, 100);
    if (part) this.parts[part] = { chart: shares, lag: 0 };
    else {
      const form = this.body.querySelector('form');
      form.chart.value = 'own';
      form.shares.value = shares.join(' ');
      form.querySelector('.own').hidden = false;
    }
    this.showParts();
    this.chart();
  }

  showParts() {
    const box = this.body.querySelector('#own-ways');
    const names = this.app.parts.names();
    const own = Object.entries(this.parts).filter(([name]) => names.includes(name));
    const free = names.filter((name) => !(name in this.parts));
    const charts = (now) => [['', 'as the rest'], ...Object.entries(CHARTS)].filter(([id]) => id !== 'own' || Array.isArray(now));
    const value = (chart) => (Array.isArray(chart) ? 'own' : chart || '');
    fill(box, html`${own.map(([name, { chart, lag }]) => html`<div class="own-way" data-part="${name}"><span>${name}</span>
        <select aria-label="Spacing of ${name}">${charts(chart)
          .map(([id, words]) => html`<option value="${id}" ${id === value(chart) ? 'selected' : ''}>${words}</option>`)}</select>
        <label>sets out <input type="number" aria-label="Drawings that ${name} lags behind" value="${lag}" min="-20" max="20" step="0.5"> later</label>
        <button class="icon" aria-label="${name} goes with the rest">×</button></div>`)}
      ${free.length ? html`<select id="own-way" aria-label="A part that goes its own way"><option
        value="">a part …</option>${free.map((name) => html`<option>${name}</option>`)}</select>` : ''}
      ${names.length ? '' : html`<span class="quiet">No line has a part yet; name parts in the dock.</span>`}`);
    for (const row of box.querySelectorAll('.own-way')) {
      const name = row.dataset.part;
      const [chart, lag, away] = [row.querySelector('select'), row.querySelector('input'), row.querySelector('button')];
      chart.addEventListener('change', () => { if (chart.value !== 'own') this.partChanged(name, { chart: chart.value, lag: this.parts[name].lag }); });
      lag.addEventListener('change', () => this.partChanged(name, { ...this.parts[name], lag: Number(lag.value) || 0 }));
      away.addEventListener('click', () => { delete this.parts[name]; this.partChanged(); });
    }
    box.querySelector('#own-way')?.addEventListener('change', (event) => this.partChanged(event.target.value, { chart: '', lag: 1 }));
  }

  partChanged(name, way) {
    if (name) this.parts[name] = way;
    this.showParts();
    this.chart();
    this.arcs.again();
  }

  arcsChanged() {
    const box = this.body.querySelector('#arc-list');
    if (!box) return;
    const { list } = this.arcs;
    fill(box, html`${list.map(({ part, by }, k) => html`<span class="arc-name">${part || 'arc'} ${k + 1}${by.some(Boolean) ? ' bent' : ''} <button
      class="icon" data-k="${k}" aria-label="Take away arc ${k + 1}">×</button></span>`)}
      <button id="arc-tool">Click a line</button>`);
    for (const button of box.querySelectorAll('[data-k]')) button.addEventListener('click', () => this.arcs.remove(Number(button.dataset.k)));
    box.querySelector('#arc-tool').addEventListener('click', () => this.app.tools.use('arc'));
  }

  // The drawings between the two, as they lie on the way.
  get inner() {
    const { run } = this.app.data;
    const { first, last, ring } = this.wanted;
    if (ring.length) {
      const k = ring.indexOf(first);
      const turned = [...ring.slice(k), ...ring.slice(0, k)];
      return turned.slice(1, turned.indexOf(last) > 0 ? turned.indexOf(last) : undefined);
    }
    const [a, b] = [first, last].map((id) => run.findIndex((d) => d.id === id)).sort((x, y) => x - y);
    // Keys and breakdowns that have lines are gone through as they are.
    return run.slice(a + 1, b).filter((d) => !(d.strokes && ['key', 'extreme', 'breakdown'].includes(d.kind))).map((d) => d.id);
  }

  async make() {
    const { app, wanted, inner } = this;
    const found = inner.length ? await app.touches.ask({ act: 'between', drawings: inner, part: wanted.part },
      `Make ${inner.length} in-between${inner.length === 1 ? '' : 's'}`, this.ledge.named(inner)) : { also: [], drawings: [] };
    if (!found) return;
    const { count, ...ask } = wanted;
    app.jobs.start(`/api/levels/${app.level}/jobs`, { kind: 'between', between: { ...ask, also: found.also } }, () => this.arcs.again());
  }
}
