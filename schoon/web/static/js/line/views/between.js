// In-betweens between two lined drawings, with their spacing.

import { fill, html } from '../../dom.js';
import { notice } from '../../api.js';
import { even, SPACINGS } from '../../pure/spacing.js';
import { View } from './view.js';

const CHARTS = { even: 'even', 'ease in': 'gathering at the end', 'ease out': 'gathering at the start', 'slow both': 'gathering at both', own: 'own thirds' };

export class BetweenView extends View {
  show() {
    const { app, body } = this;
    if (!body.querySelector('.between')) this.build();
    const part = body.querySelector('[name="part"]');
    const before = part.value;
    fill(part, html`<option value="">all lines</option>${app.parts.names().map((name) => html`<option value="${name}">${name}</option>`)}`);
    part.value = before;
    this.chart();
    this.ledge.button('Make in-betweens', () => this.make(), true, 'make-between');
  }

  build() {
    const { body } = this;
    const drawings = this.app.data.run.map((d) => html`<option value="${d.id}">${d.number}${d.kind === 'key' ? ' key' : ''}</option>`);
    const charts = Object.entries(CHARTS).map(([id, words]) => html`<option value="${id}">${words}</option>`);
    fill(body, html`<form class="between"><label>between <select name="first">${drawings}</select></label><label>and <select name="last">${drawings}</select></label>
      <label>spacing <select name="chart">${charts}</select></label>
      <label class="own" hidden>shares <input name="shares" placeholder="0.33 0.66" size="16"></label>
      <label>of <select name="part"><option value="">all lines</option></select></label></form>
      <svg class="chart" viewBox="0 0 300 60" aria-label="Spacing chart"></svg>
      <p class="quiet">Lines are matched and move along arcs; a rigid part stays rigid. Lines a hand has touched in between stay.
        It is a proposal: correct it, or fit it to the roughs.</p>`);
    const form = body.querySelector('form');
    [form.first.value, form.last.value] = this.nearestKeys();
    form.addEventListener('input', () => { form.querySelector('.own').hidden = form.chart.value !== 'own'; this.chart(); });
    form.addEventListener('submit', (event) => event.preventDefault());
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
    const round = ids.every((id) => ring.includes(id));
    const count = round ? ((ring.indexOf(ids[1]) - ring.indexOf(ids[0]) + ring.length) % ring.length || ring.length) - 1 : Math.max(0, b - a - 1);
    const written = form.shares.value.trim();
    const own = written ? written.split(/[\s;]+/).map(Number) : even(count);
    return { first: ids[0], last: ids[1], chart: form.chart.value === 'own' ? own : form.chart.value, part: form.part.value, count, ring: round ? ring : [] };
  }

  chart() {
    const { chart, count } = this.wanted;
    const shares = Array.isArray(chart) ? chart.filter((v) => v > 0 && v < 1) : even(count).map(SPACINGS[chart]);
    const tick = (share, end) => html`<path d="M${10 + 280 * share} ${end ? 14 : 22}V${end ? 46 : 38}"/>`;
    fill(this.body.querySelector('.chart'), html`<path d="M10 30H290"/>${tick(0, true)}${shares.map((v) => tick(v, false))}${tick(1, true)}`);
  }

  async make() {
    const answer = await this.ledge.post('between', this.wanted);
    if (!answer || answer.again) return;
    const lost = answer.lost ? `; ${answer.lost} lines had no counterpart` : '';
    notice(`${answer.drawings.length} drawings have in-betweens of ${answer.matched} lines${lost}; it can be undone as one`);
  }
}
