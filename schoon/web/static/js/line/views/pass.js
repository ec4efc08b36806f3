// Strokes passed on to other drawings: as they are, or fitted to the roughs there.

import { fill, html } from '../../dom.js';
import { get, notice } from '../../api.js';
import { shown } from '../../keys.js';
import { lineNow } from '../../shot/drawings.js';
import { View } from './view.js';

const CHOOSE_DRAWINGS = 'Choose the drawings on the sheet first: click one, Shift and click another';
const many = (n) => `${n} drawing${n === 1 ? '' : 's'}`;

export class PassView extends View {
  get strokes() { return lineNow(this.app.current)?.strokes || []; }

  show() {
    const { app, ledge: { chosen } } = this;
    if (!this.body.querySelector('.pass')) this.build();
    const form = this.body.querySelector('form');
    const before = form.what.value;
    const parts = app.parts.names().map((name) => html`<option value="part:${name}">the part ${name}</option>`);
    fill(form.what, html`<option value="all">all lines</option><option value="chosen">${chosen.size} chosen lines</option>${parts}`);
    form.what.value = chosen.size && !before ? 'chosen' : before || 'all';
    this.body.querySelector('#pass-from').textContent = app.current.number;
    form.to.options[0].textContent = `${[...app.chosen].filter((id) => id !== app.current.id).length} chosen on the sheet`;
    if (app.chosen.size < 2 && form.to.value === 'chosen') form.to.value = 'next';
  }

  build() {
    const { body } = this;
    fill(body, html`<form class="pass">
      <label>pass on <select name="what"></select></label>
      <label>from <b class="number" id="pass-from"></b> to <select name="to"><option value="chosen"></option>
        <option value="next">the next drawing</option><option value="after">all after it</option><option value="all">all others</option></select></label>
      <fieldset><legend>Pass on, just as they are</legend>
        <label><input type="checkbox" name="registered"> moved to where they lie there</label>
        <label><input type="checkbox" name="linked"> linked: later changes follow</label>
        <button type="button" id="trace-back">Pass on <kbd>${shown('y')}</kbd></button></fieldset>
      <fieldset><legend>Fit to rough: pulled onto each rough</legend>
        <span class="quiet">Keeps the points of each line; doubt shows where the rough disagrees.</span>
        <button type="button" id="fit-rough" class="main">Fit to their roughs <kbd>${shown('shift+y')}</kbd></button></fieldset></form>
      <div class="still"><b>Parts that keep still</b><div id="still"><button id="find-still">Look for them</button></div></div>`);
    body.querySelector('#trace-back').addEventListener('click', () => this.traceBack());
    body.querySelector('#fit-rough').addEventListener('click', () => this.fit());
    body.querySelector('#find-still').addEventListener('click', () => this.findStill());
    body.querySelector('form').addEventListener('submit', (event) => event.preventDefault());
  }

  // Ids of the drawings that are passed on to.
  get targets() {
    const { app } = this;
    const order = app.data.run;
    const k = order.indexOf(app.current);
    const way = this.body.querySelector('[name="to"]')?.value || 'chosen';
    if (way === 'next') return order.slice(k + 1, k + 2).map((d) => d.id);
    if (way === 'after') return order.slice(k + 1).map((d) => d.id);
    if (way === 'all') return order.filter((d) => d !== app.current).map((d) => d.id);
    return [...app.chosen].filter((id) => id !== app.current.id);
  }

  // What is passed on: ids of strokes, their part if it is one, in words.
  get what() {
    const value = this.body.querySelector('[name="what"]')?.value || 'all';
    const { chosen } = this.ledge;
    if (value === 'chosen') return { strokes: chosen.list(), part: '', words: `${chosen.size} chosen lines` };
    if (value.startsWith('part:')) {
      const part = value.slice(5);
      return { part, strokes: this.strokes.filter((s) => s.part === part).map((s) => s.id), words: `the part ${part}` };
    }
    return { part: '', strokes: [], all: true, words: 'all lines' };
  }

  async traceBack() {
    const { what, targets: to } = this;
    if (!to.length) { notice(CHOOSE_DRAWINGS); return; }
    const strokes = what.all ? this.strokes.map((s) => s.id) : what.strokes;
    if (!strokes.length) { notice('Choose the lines to pass on first: C, then click them'); return; }
    const { app } = this;
    const found = await app.touches.ask({ act: 'trace-back', drawings: to, part: what.part }, `Trace ${what.words} back to ${many(to.length)}`, this.named(to));
    if (!found) return;
    const form = this.body.querySelector('.pass');
    notice(`Tracing ${what.words} back to ${many(found.drawings.length)}; it can be undone as one`);
    const ways = { registered: form?.registered.checked || false, linked: form?.linked.checked || false };
    await this.ledge.post('trace-back', { drawing: app.current.id, strokes, part: what.part, to: found.drawings, also: found.also, ...ways });
  }

  // Drawings that were named one by one: chosen on the sheet, or the only one.
  named(to) { return this.body.querySelector('[name="to"]')?.value === 'chosen' || to.length === 1 ? to : []; }

  async fit() {
    const { app, what, targets: to } = this;
    if (!to.length) { notice(CHOOSE_DRAWINGS); return; }
    if (!what.all && !what.strokes.length) { notice('Choose the lines to fit first: C, then click them'); return; }
    const found = await app.touches.ask({ act: 'fit', drawings: to }, `Fit ${what.words} of drawing ${app.current.number} to ${many(to.length)}`,
      this.named(to));
    if (!found) return;
    const kept = found.drawings.filter((id) => app.byId.get(id)?.touched).length;
    const stay = kept ? `; lines touched by hand stay in ${kept}` : '';
    notice(`Fitting ${what.words} of drawing ${app.current.number} to ${many(found.drawings.length)}${stay}; it can be undone as one`);
    app.jobs.start(`/api/levels/${app.level}/jobs`,
      { kind: 'fit', source: app.current.id, strokes: what.all ? [] : what.strokes, drawings: found.drawings, also: found.also });
  }

  async findStill() {
    const box = document.getElementById('still');
    box.textContent = 'Comparing the roughs …';
    try {
      const { held } = await get(`/api/levels/${this.app.level}/held`);
      if (held.length) box.replaceChildren(...held.map((item) => this.heldRow(item)));
      else fill(box, html`<span class="quiet">None: every part moves, or is passed on already, or has no name yet.</span>`);
    } catch (error) { box.textContent = error.message; }
  }

  heldRow(item) {
    const row = document.createElement('p');
    fill(row, html`<b>${item.part}</b> in ${item.numbers[0]} to ${item.numbers[1]} moves ${item.moves} px of ${item.scatter} px scatter
      <button>Make equal</button>`);
    row.querySelector('button').addEventListener('click', async () => {
      const wanted = { drawing: item.drawings[0], part: item.part, to: item.drawings.slice(1), registered: false, linked: true };
      if (!await this.ledge.post('trace-back', wanted)) return;
      notice(`${item.part} is the same in ${item.drawings.length} drawings, and linked`);
      this.findStill();
    });
    return row;
  }
}
