// Lay over: other drawings of the run slid, turned and scaled over the current one to compare, each in its own way. Nothing in
// the picture moves.

import { fill, html } from '../dom.js';
import { get, notice } from '../api.js';
import { about, multiply, scaledBy, shifted, turnedBy } from '../pure/geometry.js';

const WHICH = { before: 'previous', after: 'next', pinned: 'pinned' };

export class LayOver {
  constructor(app) {
    this.app = app;
    // `${on the table}<${laid over it}` -> matrix; a placement stays until it is lifted.
    this.places = new Map();
    this.which = 'before';
    // Drawings that lie over the one on the table beside its neighbours: on the table -> their ids.
    this.picked = new Map();
    this.box = document.getElementById('lay-over');
  }

  other() {
    if (this.which === 'pinned') return this.app.onion.pinned;
    if (typeof this.which === 'number') return this.app.byId.get(this.which);
    return this.app.neighbour(this.which === 'before' ? -1 : 1);
  }

  name(entry) { return `${this.app.current.id}<${entry.id}`; }

  // Those that are seen over the one on the table although they are no neighbours of it.
  extra() { return (this.picked.get(this.app.current.id) ?? []).map((id) => this.app.byId.get(id)).filter(Boolean); }

  // All that lie over it, off their pegs or picked, in the order of the run.
  laid() {
    const { app } = this;
    const extra = new Set(this.extra());
    return app.data.run.filter((d) => d !== app.current && (extra.has(d) || this.matrixFor(d)));
  }

  pick(which) {
    const { app } = this;
    this.which = which;
    if (typeof which === 'number') this.picked.set(app.current.id, [...new Set([...(this.picked.get(app.current.id) ?? []), which])]);
    app.onion.need(which);
    app.onion.show();
    this.show();
  }

  matrixFor(entry) { return this.places.get(this.name(entry)); }

  put(matrix) {
    const entry = this.other();
    if (!entry) return;
    this.places.set(this.name(entry), matrix);
    this.app.onion.show();
    this.show();
  }

  tool() {
    return {
      id: 'lay-over', pen: 'Lay over: drag slides the drawing laid over, Shift turns it, Alt scales it',
      enter: () => { if (!this.other() || this.other() === this.app.current) this.which = this.app.neighbour(-1) ? 'before' : 'after';
        this.app.onion.need(this.which); this.show(); this.app.onion.show(); },
      leave: () => { this.box.hidden = true; },
      down: (event, from) => {
        const entry = this.other();
        if (!entry || entry === this.app.current) { notice('There is no drawing on this side to lay over'); return null; }
        const start = this.matrixFor(entry) || shifted(0, 0);
        const [w, h] = this.app.table.view.size;
        const centre = [start[0] * (w / 2) + start[2] * (h / 2) + start[4], start[1] * (w / 2) + start[3] * (h / 2) + start[5]];
        const angle = (p) => Math.atan2(p[1] - centre[1], p[0] - centre[0]);
        const far = (p) => Math.max(1, Math.hypot(p[0] - centre[0], p[1] - centre[1]));
        return {
          move: (e) => {
            const to = this.app.table.view.toPaper(e.clientX, e.clientY);
            if (event.shiftKey) this.put(multiply(about(...centre, turnedBy(angle(to) - angle(from))), start));
            else if (event.altKey) { const s = far(to) / far(from); this.put(multiply(about(...centre, scaledBy(s, s)), start));
              } else this.put(multiply(shifted(to[0] - from[0], to[1] - from[1]), start));
          },
          up() {},
          cancel: () => this.put(start),
        };
      },
    };
  }

  async register() {
    const entry = this.other();
    if (!entry) return;
    const part = this.box.querySelector('#peg-part').value;
    try {
      const found = await get(`/api/levels/${this.app.level}/over?${new URLSearchParams({ here: this.app.current.id, other: entry.id, part })}`);
      this.put(found.matrix);
      notice(`Drawing ${entry.number} lies over ${part || 'the whole figure'}; fit ${Math.round(found.fit * 100)} %`);
    } catch (error) { notice(error.message, true); }
  }

  lift() {
    const entry = this.other();
    if (entry) this.off(entry);
  }

  // Back on its pegs, and no longer over the drawing if it is no neighbour of it.
  off(entry) {
    const { app } = this;
    this.places.delete(this.name(entry));
    this.picked.set(app.current.id, (this.picked.get(app.current.id) ?? []).filter((id) => id !== entry.id));
    if (this.which === entry.id) this.which = app.neighbour(-1) ? 'before' : 'after';
    app.onion.show();
    this.show();
  }

  show() {
    if (this.app.tools.now?.id !== 'lay-over') { this.box.hidden = true; return; }
    const { app } = this;
    const entry = this.other();
    const parts = app.parts.names();
    const others = app.data.run.filter((d) => d !== app.current);
    const before = this.box.querySelector('#peg-part')?.value || '';
    this.box.hidden = false;
    fill(this.box, html`<label>lay over <select
      id="peg-which">${Object.entries(WHICH).map(([id, words]) => html`<option value="${id}">${words}</option>`)}<optgroup
        label="drawing">${others.map((d) => html`<option value="${d.id}">${d.number}</option>`)}</optgroup></select></label>
      <b>${entry ? html`drawing ${entry.number}` : 'none'}</b>
      <label>by <select id="peg-part"><option value="">the whole figure</option></select></label>
      <button id="peg-register">Register</button><button id="peg-lift">Lift</button><span
        class="quiet">${entry && this.matrixFor(entry) ? 'off its pegs' : 'on its pegs'}</span>
      <span class="laid" role="group" aria-label="Drawings laid over this one">${this.laid()
        .map((d) => html`<span class="${d === entry ? 'own' : ''}"><button data-hold="${d.id}" aria-pressed="${d === entry}"
          title="The pen slides drawing ${d.number}">${d.number}</button><button data-off="${d.id}" aria-label="Lift drawing ${d.number}"
            title="Lift it">×</button></span>`)}</span>`);
    for (const node of this.box.querySelectorAll('[data-hold]')) node.addEventListener('click', () => this.pick(Number(node.dataset.hold)));
    for (const node of this.box.querySelectorAll('[data-off]')) node.addEventListener('click', () => this.off(app.byId.get(Number(node.dataset.off))));
    const part = this.box.querySelector('#peg-part');
    for (const name of parts) part.append(Object.assign(document.createElement('option'), { value: name, textContent: name }));
    part.value = before;
    const which = this.box.querySelector('#peg-which');
    which.value = this.which;
    which.addEventListener('change', () => this.pick(WHICH[which.value] ? which.value : Number(which.value)));
    this.box.querySelector('#peg-register').addEventListener('click', () => this.register());
    this.box.querySelector('#peg-lift').addEventListener('click', () => this.lift());
  }
}
