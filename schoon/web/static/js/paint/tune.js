// A colour tuned in sight of the run: paper at once, and drawings beside it, in the run and playing as they are made anew.

import { notice } from '../api.js';
import { change } from '../edits/queue.js';
import { fill, html } from '../dom.js';
import { fromOklch, shiftedBy, toOklch } from '../pure/oklch.js';

const $ = (id) => document.getElementById(id);
// What is tuned: [name, words, most, step, digits].
const WAYS = [['l', 'lightness', 1, 0.005, 3], ['c', 'chroma', 0.37, 0.002, 3], ['h', 'hue', 360, 1, 0]];
// Ms between two looks at the run while a colour is dragged.
const EVERY = 320;

export class Tune {
  constructor(app, stage) {
    Object.assign(this, { app, stage, pots: [], before: new Map() });
    this.box = $('tune');
    this.box?.addEventListener('keydown', (event) => this.press(event));
  }

  get open() { return this.pots.length > 0; }

  // more: beside those that are tuned already.
  begin(pot, more = false) {
    const { key } = this.app.colours;
    if (!this.box || !key?.colours[pot]) { notice('This pot has no colour in this key; give it one on the page of the model'); return; }
    this.back();
    const pots = more ? [...new Set([...this.pots.filter((id) => id !== pot), pot])] : [pot];
    this.pots = pots;
    this.before = new Map(pots.map((id) => [id, key.colours[id]]));
    this.at = toOklch(key.colours[pot]);
    this.show();
  }

  close() {
    this.back();
    this.pots = [];
    this.box.hidden = true;
    $('paper').focus();
  }

  // What was tuned and not kept goes.
  back() {
    clearTimeout(this.later);
    this.later = 0;
    if (this.app.colours.tried.size) this.app.colours.try(new Map());
  }

  show() {
    const { app, pots } = this;
    const names = pots.map((id) => app.data.pots.find((p) => p.id === id)?.name);
    const lead = pots[pots.length - 1];
    this.box.hidden = false;
    fill(this.box, html`<div class="tune-head"><b>${names.join(', ')}</b><button data-tune="close" aria-label="Close">×</button></div>
      <div class="tune-pair"><span style="background: ${this.before.get(lead)}" title="as it was"></span><span id="tune-now"
        style="background: var(--pot-${lead})" title="as it is now"></span></div>
      ${WAYS.map(([name, words, most, step, digits]) => html`<label>${words} <input type="range" data-way="${name}" min="0" max="${most}" step="${step}"
        value="${this.at[name]}" aria-label="${words}" autocomplete="off"><input type="number" data-number="${name}" min="0" max="${most}" step="${step}"
          value="${this.at[name].toFixed(digits)}" aria-label="${words} in numbers" autocomplete="off"></label>`)}
      <p>${globalThis.EyeDropper ? html`<button data-tune="sample" title="From anything that is seen">Sample</button> ` : ''}<span class="number"
        id="tune-hex">${this.before.get(lead)}</span></p>
      <p class="quiet">${pots.length > 1 ? 'All by the same difference. ' : 'Shift and a click takes another pot along. '}Let go keeps, Esc returns.</p>`);
    for (const field of this.box.querySelectorAll('[data-way]')) {
      field.addEventListener('input', () => this.tune(field.dataset.way, Number(field.value)));
      field.addEventListener('change', () => this.keep());
    }
    for (const field of this.box.querySelectorAll('[data-number]')) field.addEventListener('change',
      () => { this.tune(field.dataset.number, Number(field.value) || 0); this.keep(); });
    this.box.querySelector('[data-tune="close"]').addEventListener('click', () => this.close());
    this.box.querySelector('[data-tune="sample"]')?.addEventListener('click', () => this.sample());
  }

  tune(way, value) {
    this.at = { ...this.at, [way]: value };
    this.seen();
  }

  // The colours as they are tuned: the last pot's as it is set, the others by the same difference.
  colours() {
    const lead = this.pots[this.pots.length - 1];
    const from = toOklch(this.before.get(lead));
    const by = { l: this.at.l - from.l, c: this.at.c - from.c, h: this.at.h - from.h };
    return new Map(this.pots.map((id) => [id, fromOklch(id === lead ? this.at : shiftedBy(toOklch(this.before.get(id)), by))]));
  }

  seen() {
    const { colours } = this.app;
    const now = this.colours();
    colours.paint(now);
    $('tune-hex').textContent = now.get(this.pots[this.pots.length - 1]);
    for (const [name, , , , digits] of WAYS) this.box.querySelector(`[data-number="${name}"]`).value = this.at[name].toFixed(digits);
    // The run is made anew by the server, as often as a hand can follow.
    if (!this.later) this.later = setTimeout(() => { this.later = 0; if (this.open) colours.try(this.colours()); }, EVERY);
  }

  async keep() {
    const { app } = this;
    clearTimeout(this.later);
    this.later = 0;
    const colours = this.colours();
    if ([...colours].every(([id, hex]) => hex === this.before.get(id))) { this.back(); return; }
    const { key } = app.colours;
    const were = new Map(this.before);
    for (const [id, hex] of colours) { key.colours[id] = hex; this.before.set(id, hex); }
    app.colours.tried = new Map();
    app.colours.use(app.data.key);
    app.tell('run');
    try {
      await change('models', app.data.model, 'colours', { key: key.id, colours: Object.fromEntries(colours) });
      $('undo').disabled = false;
      await app.sync.refresh();
    } catch (error) {
      for (const [id, hex] of were) key.colours[id] = hex;
      app.colours.use(app.data.key);
      notice(error.message, true);
    }
    if (this.open) this.show();
  }

  async sample() {
    try {
      const { sRGBHex } = await new globalThis.EyeDropper().open();
      this.at = toOklch(sRGBHex);
      this.seen();
      await this.keep();
    } catch (error) { if (error.name !== 'AbortError') notice('The colour could not be sampled; set it by its numbers', true); }
  }

  press(event) {
    event.stopPropagation();
    if (event.key !== 'Escape') return;
    const tuned = this.app.colours.tried.size || [...this.colours()].some(([id, hex]) => hex !== this.before.get(id));
    if (!tuned) { this.close(); return; }
    this.back();
    this.app.colours.use(this.app.data.key);
    this.at = toOklch(this.before.get(this.pots[this.pots.length - 1]));
    this.show();
  }
}
