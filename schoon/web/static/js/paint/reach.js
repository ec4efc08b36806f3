// Pots within reach: the first letters of a name, and those that were in the hand last.

import { fill, html } from '../dom.js';
import { paintNow } from '../shot/drawings.js';

const $ = (id) => document.getElementById(id);
const LATELY = 6;

// Pots whose name, or a word of it, begins with what is written; the shortest first.
export function matching(pots, written) {
  const asked = written.trim().toLowerCase();
  if (!asked) return [];
  const at = ({ name }) => [name.toLowerCase(), ...name.toLowerCase().split(/\s+/)].findIndex((word) => word.startsWith(asked));
  return pots.filter((pot) => at(pot) >= 0).sort((a, b) => at(a) - at(b) || a.name.length - b.name.length);
}

export class Reach {
  constructor(app, stage) {
    Object.assign(this, { app, stage, lately: [] });
    this.box = $('pot-find');
    this.field = this.box?.querySelector('input');
    this.field?.addEventListener('input', () => this.look());
    this.field?.addEventListener('keydown', (event) => this.press(event));
    this.field?.addEventListener('blur', () => this.close());
  }

  open() {
    if (!this.box) return;
    this.box.hidden = false;
    this.field.value = '';
    // Nothing written: the pot under the pen.
    this.under = paintNow(this.app.current)?.paint[this.app.tools.under]?.pot;
    this.field.focus();
    this.look();
  }

  get found() {
    const { pots } = this.app.data;
    return this.field.value.trim() ? matching(pots, this.field.value)[0] : pots.find((pot) => pot.id === this.under);
  }

  close() {
    this.box.hidden = true;
    this.mark([]);
  }

  mark(ids) { for (const item of this.stage.potItems) item.classList.toggle('found-pot', ids.includes(Number(item.dataset.pot))); }

  look() {
    const first = this.found;
    this.mark(first ? [first.id] : []);
    this.stage.potItems.find((item) => Number(item.dataset.pot) === first?.id)?.scrollIntoView({ block: 'nearest' });
  }

  press(event) {
    event.stopPropagation();
    if (event.key === 'Escape') { this.close(); $('paper').focus(); }
    if (event.key !== 'Enter') return;
    event.preventDefault();
    const first = this.found;
    this.close();
    $('paper').focus();
    if (first) this.stage.selectPot(first.id, true);
  }

  // A pot came into the hand.
  taken(id) {
    if (id === null) return;
    this.lately = [id, ...this.lately.filter((other) => other !== id)].slice(0, LATELY);
    this.show();
  }

  // What is done with the pot in the hand: seen alone, locked.
  showWays() {
    for (const button of $('pots-lately')?.querySelectorAll('[data-now]') ?? []) {
      button.setAttribute('aria-pressed', String(this.stage.hasWay(button.dataset.now, this.stage.pot)));
    }
  }

  show() {
    const row = $('pots-lately');
    if (!row) return;
    const { pots } = this.app.data;
    const known = this.lately.map((id) => pots.find((pot) => pot.id === id)).filter(Boolean);
    const late = known.map((pot) => html`<button data-late="${pot.id}" aria-pressed="${pot.id === this.stage.pot}" aria-label="${pot.name}, used lately"
      title="${pot.name}" style="background: var(--pot-${pot.id})"></button>`);
    const ways = this.stage.potWays.map(([way, words]) => html`<button data-now="${way}" aria-pressed="false"
      title="The pot in the hand ${words}">${words}</button>`);
    fill(row, html`<span class="pots-late">${late}</span>${ways}<button id="tune-pot"
      title="Lightness, chroma and hue of the pot in the hand, in sight of the run;
      a long press on any pot does it too">Tune</button>`);
    for (const button of row.querySelectorAll('[data-now]')) {
      button.addEventListener('click', () => { this.stage.potWay(button.dataset.now, this.stage.pot); this.showWays(); });
    }
    this.showWays();
    row.querySelector('#tune-pot').addEventListener('click', () => this.stage.tuning.begin(this.stage.pot));
    for (const button of row.querySelectorAll('[data-late]')) button.addEventListener('click', () => this.stage.selectPot(Number(button.dataset.late), true));
  }
}
