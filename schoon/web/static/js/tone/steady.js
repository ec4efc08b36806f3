// How much of each part lies under a tone, through the run: a curve a part, and where it jumps.

import { fill, html } from '../dom.js';
import { shown } from '../keys.js';
import { get, notice } from '../api.js';
import { KIND_WORDS } from './layer.js';
import { testColour } from '../pure/test_colours.js';
import { jumps } from '../pure/jumps.js';

const WIDE = 46;
const HIGH = 104;

export class Steady {
  constructor(app, stage) { Object.assign(this, { app, stage, shares: null }); }

  async load() {
    const { level, colours } = this.app;
    try { ({ shares: this.shares } = await get(`/api/levels/${level}/tones?key=${colours.toned ?? 0}`)); } catch (error) { notice(error.message, true);
      return; }
    if (this.stage.view === 'steady') this.stage.ledge();
  }

  // Part -> share of the kind in each drawing, null where there is none of the part.
  curves() {
    const { run } = this.app.data;
    const found = new Map();
    for (const part of new Set(run.flatMap((d) => Object.keys(this.shares?.[d.id]?.[this.stage.kind] ?? {})))) {
      found.set(part, run.map((d) => this.shares[d.id]?.[this.stage.kind]?.[part] ?? null));
    }
    return found;
  }

  // Drawings where a share leaves what lies before and after it: [index, part, how far].
  get odd() { return [...this.curves()].flatMap(([part, values]) => jumps(values).map(([k, by]) => [k, part, by])).sort((a, b) => b[2] - a[2]); }

  show(acts) {
    const { app, stage } = this;
    const { body } = this.stage;
    if (!this.shares) { fill(body, html`<p class="quiet">Measuring the tones of the run …</p>`); this.load(); return; }
    const curves = this.curves();
    const { odd } = this;
    fill(acts, html`<button id="next-jump" ${odd.length ? '' : 'disabled'}>Next jump <kbd>${shown('n')}</kbd></button>`);
    acts.firstChild.addEventListener('click', () => this.next());
    if (!curves.size) { fill(body, html`<p class="quiet">No drawing has ${KIND_WORDS[stage.kind]
      .toLowerCase()} yet. Set the sun and shade the run, or draw it.</p>`); return; }
    const { run } = app.data;
    const x = (k) => 26 + k * WIDE;
    const most = Math.max(0.05, ...[...curves.values()].flat().map((v) => v ?? 0));
    const y = (v) => HIGH - (v / most) * (HIGH - 12);
    const names = [...curves.keys()].sort();
    const colour = (part) => (part ? testColour(names.indexOf(part)) : 'var(--ink)');
    const line = (values) => values.map((v, k) => (v === null ? '' : `${k && values[k - 1] !== null ? 'L' : 'M'}${x(k)},${y(v).toFixed(1)}`)).join('');
    fill(body, html`<div class="steady"><svg width="${x(run.length)}" height="${HIGH + 22}" role="img"
      aria-label="Share of ${KIND_WORDS[stage.kind].toLowerCase()} of each part">
      ${run.map((d, k) => html`<g class="at ${d === app.current ? 'here' : ''}" data-id="${d.id}" role="button" tabindex="0"
        aria-label="Drawing ${d.number}"><rect x="${x(k) - WIDE / 2}" y="0" width="${WIDE}" height="${HIGH + 22}"/><text x="${x(k)}"
          y="${HIGH + 17}">${d.number}</text></g>`)}
      ${names.map((part) => html`<path class="${part ? 'of-part' : 'of-all'}" d="${line(curves.get(part))}" style="stroke: ${colour(part)}"/>`)}
      ${odd.map(([k, part]) => html`<circle class="jump" cx="${x(k)}" cy="${y(curves.get(part)[k]).toFixed(1)}" r="5"/>`)}</svg>
      <ul class="steady-parts">${names.map((part) => html`<li><i style="background: ${colour(part)}"></i>${part || 'the whole figure'}</li>`)}
      <li class="quiet">${odd.length ? `${odd.length} jump${odd.length === 1 ? '' : 's'}, ringed` : 'nothing jumps'}</li></ul></div>`);
    for (const node of body.querySelectorAll('.at')) {
      const go = () => app.go(Number(node.dataset.id), true);
      node.addEventListener('click', go);
      node.addEventListener('keydown', (event) => { if (event.key === 'Enter') { event.stopPropagation(); go(); } });
    }
  }

  next() {
    const { odd } = this;
    if (!odd.length) { notice('Nothing jumps'); return; }
    const { app } = this;
    const at = app.data.run.indexOf(app.current);
    const later = odd.filter(([k]) => k > at).sort((a, b) => a[0] - b[0])[0] ?? odd.slice().sort((a, b) => a[0] - b[0])[0];
    notice(`${later[1] || 'The figure'}: its ${KIND_WORDS[this.stage.kind].toLowerCase()} jumps by ${Math.round(100 * later[2])} % here`);
    app.go(app.data.run[later[0]].id, true);
  }
}
