// Onion skin: earlier drawings in ochre, later ones in violet, a pinned one in teal.

import * as drawings from './drawings.js';

export class Onion {
  constructor(app) {
    this.app = app;
    this.on = false;
    this.count = 1;
    this.strength = 0.6;
    this.keysOnly = false;
    this.pinned = null;
    // Whether neighbours lie where the placement of the level puts them, seen from the drawing on the table.
    this.placed = false;
    app.on('drawn', () => this.show());
    this.box = document.getElementById('onion-box');
    const wire = (id, event, act) => document.getElementById(id).addEventListener(event, (e) => { act(e.target); this.show(); });
    wire('onion-count', 'change', (input) => { this.count = Math.min(6, Math.max(1, Number(input.value) || 1)); });
    wire('onion-strength', 'input', (input) => { this.strength = Number(input.value); });
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
    for (let step = this.count; step >= 1; step -= 1) {
      const strength = this.strength / Math.sqrt(step);
      const at = (by) => (app.cycle && !this.keysOnly ? app.away(by) : order[k + by]);
      for (const [entry, side] of [[at(-step), 'earlier'], [at(step), 'later']]) if (entry) groups.push({ entry, side, strength });
    }
    const there = new Set(groups.map((g) => g.entry));
    for (const entry of app.stage.laid?.() ?? []) if (!there.has(entry) && entry !== this.pinned) groups.push({ entry, side: app.data.run.indexOf(entry) < app.data.run.indexOf(app.current) ? 'earlier' : 'later', strength: this.strength });
    if (this.pinned && this.pinned !== app.current) groups.push({ entry: this.pinned, side: 'pinned', strength: Math.max(0.5, this.strength) });
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
    paper.onion(groups.map((g) => ({ ...g, strokes: seen(g.strokes), matrix: app.stage.matrixOver(g.entry) ?? (this.placed ? app.levels.between(g.entry) : null) })));
  }
}
