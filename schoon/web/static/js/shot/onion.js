// Onion skin: drawings before and after the one on the table, as many, in the tint and as strong as a person likes them on
// each side, and a pinned one in teal.

import { person } from '../keys.js';
import * as drawings from './drawings.js';

const PLAIN = { earlier: { count: 1, tint: '#b7791f', strength: 0.6 }, later: { count: 1, tint: '#6a4fa3', strength: 0.6 } };
const MOST = 6;
const LEAST_STRENGTH = 0.15;
const sides = ['earlier', 'later'];
const store = () => `schoon-neighbours-${person()}`;

// As a person left them, as far as that is sound.
function kept() {
  let said = {};
  try { said = JSON.parse(localStorage[store()] ?? '{}') ?? {}; } catch { /* a damaged note is forgotten */ }
  return Object.fromEntries(sides.map((side) => {
    const { count, tint, strength } = { ...PLAIN[side], ...said[side] };
    return [side, { count: Math.min(MOST, Math.max(0, Math.round(count) || 0)), tint: /^#[0-9a-f]{6}$/.test(tint) ? tint : PLAIN[side].tint,
      strength: Math.min(1, Math.max(LEAST_STRENGTH, Number(strength) || LEAST_STRENGTH)) }];
  }));
}

export class Onion {
  constructor(app) {
    this.app = app;
    this.on = false;
    this.sides = kept();
    this.keysOnly = false;
    this.pinned = null;
    // Whether neighbours lie where the placement of the level puts them, seen from the drawing on the table.
    this.placed = false;
    app.on('drawn', () => this.show());
    this.box = document.getElementById('onion-box');
    const wire = (id, event, act) => document.getElementById(id).addEventListener(event, (e) => { act(e.target); this.show(); });
    for (const field of this.box.querySelectorAll('[data-onion]')) {
      const [side, what] = field.dataset.onion.split('-');
      field.value = this.sides[side][what];
      field.addEventListener('input', () => this.set(side, what, field));
    }
    this.tint();
    wire('onion-keys', 'change', (input) => { this.keysOnly = input.checked; });
    const close = document.getElementById('onion-cycle');
    close.checked = localStorage.closeCycles === 'yes';
    close.addEventListener('change', () => app.closeCycles(close.checked));
    wire('onion-placed', 'change', (input) => { this.placed = input.checked; });
    document.getElementById('onion-pin').addEventListener('click', () => {
      this.pinned = this.pinned === app.current ? null : app.current;
      this.show();
      app.stage.drawn();
    });
  }

  set(side, what, field) {
    const own = this.sides[side];
    if (what === 'count') own.count = Math.min(MOST, Math.max(0, Math.round(Number(field.value)) || 0));
    else own[what] = what === 'tint' ? field.value : Number(field.value);
    localStorage[store()] = JSON.stringify(this.sides);
    this.tint();
    this.show();
  }

  tint() { for (const side of sides) this.app.table.paper.tint(side, this.sides[side].tint); }

  // Sees to it that the drawing that is laid over the table is in sight.
  need(which) {
    if (which === 'pinned' && !this.pinned) [this.pinned] = this.app.data.run;
    if (!this.on) document.getElementById('see-onion').click();
  }

  wanted() {
    const { app } = this;
    const groups = [];
    const order = this.keysOnly ? app.data.run.filter((d) => d.kind === 'key' || d === app.current) : app.data.run;
    const k = order.indexOf(app.current);
    const at = (by) => (app.cycle && !this.keysOnly ? app.away(by) : order[k + by]);
    for (let step = MOST; step >= 1; step -= 1) {
      for (const [by, side] of [[-step, 'earlier'], [step, 'later']]) {
        const { count, strength } = this.sides[side];
        const entry = step <= count && at(by);
        if (entry) groups.push({ entry, side, strength: strength / Math.sqrt(step) });
      }
    }
    const there = new Set(groups.map((g) => g.entry));
    for (const entry of app.stage.laid?.() ?? []) if (!there.has(entry) &&
      entry !== this.pinned) groups.push({ entry, side: app.data.run.indexOf(entry) < app.data.run.indexOf(app.current) ? 'earlier' : 'later',
        strength: this.sides.earlier.strength });
    if (this.pinned && this.pinned !== app.current) groups.push({ entry: this.pinned, side: 'pinned', strength: Math.max(0.5, this.sides.earlier.strength) });
    return groups;
  }

  async show() {
    const { app } = this;
    const { paper } = app.table;
    const on = this.on && app.stage.onion;
    this.box.hidden = !on;
    const { number } = app.current;
    const instead = this.pinned ? ` instead of ${this.pinned.number}` : '';
    document.getElementById('onion-pin').textContent = this.pinned === app.current ? 'Unpin' : `Pin ${number}${instead}`;
    if (!on) { paper.onion([]); return; }
    const from = app.current;
    const ticket = (this.ticket = (this.ticket || 0) + 1);
    if (app.stage.look === 'rough') { paper.onionRoughs(this.wanted().map((g) => ({ ...g, url: app.colours.viewUrl(g.entry, 960, 'rough') }))); return; }
    const groups = await Promise.all(this.wanted().map(async (group) => ({ ...group, strokes: (await drawings.line(group.entry)).strokes })));
    if (app.current !== from || ticket !== this.ticket) return;
    const seen = (strokes) => strokes.filter((s) => app.parts.seen(s.part));
    paper.onion(groups.map((g) => ({ ...g, strokes: seen(g.strokes),
      matrix: app.stage.matrixOver(g.entry) ?? (this.placed ? app.levels.between(g.entry) : null) })));
  }
}
