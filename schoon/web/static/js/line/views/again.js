// A part's lines used for another part: how they are laid, seen on the paper before it is done.

import { fill, html } from '../../dom.js';
import { notice, post } from '../../api.js';
import { about, multiply, scaledBy, shifted, turnedBy } from '../../pure/geometry.js';
import { lineNow } from '../../shot/drawings.js';

const PAUSE = 150;

export class UseAgain {
  // view: "Pass on", which knows the drawings that are meant.
  constructor(view) {
    this.view = view;
    this.app = view.app;
    this.form = view.body.querySelector('form.again');
    this.form.addEventListener('input', () => this.soon());
    this.form.querySelector('#use-again').addEventListener('click', () => this.use());
  }

  show(names) {
    const { part } = this.form;
    const before = part.value;
    fill(part, names.map((name) => html`<option>${name}</option>`));
    if (names.includes(before)) part.value = before;
    fill(this.form.querySelector('datalist'), names.map((name) => html`<option value="${name}"></option>`));
  }

  // How the lines are laid: about the middle of the part as it is here.
  get matrix() {
    const { form, app } = this;
    const value = (name) => Number(form[name].value) || 0;
    const own = (lineNow(app.current)?.strokes || []).filter((s) => s.part === form.part.value).flatMap((s) => s.points);
    const middle = (k) => { const all = own.filter((_, i) => i % 2 === k); return all.length ? (Math.min(...all) + Math.max(...all)) / 2 : app.table.view.size[k] / 2; };
    const centre = [middle(0), middle(1)];
    const size = (value('size') || 100) / 100;
    const laid = about(...centre, multiply(turnedBy((value('turn') * Math.PI) / 180), scaledBy(form.mirror.checked ? -size : size, size)));
    return multiply(shifted(value('dx'), value('dy')), laid);
  }

  get wanted() {
    const { form, view, app } = this;
    return {
      part: form.part.value, name: form.name.value.trim(), drawings: [app.current.id, ...view.targets], shift: Math.round(Number(form.shift.value) || 0),
      around: form.around.checked, matrix: this.matrix, order: form.order.value,
    };
  }

  soon() { clearTimeout(this.waiting); this.waiting = setTimeout(() => this.try(), PAUSE); }

  async try() {
    const { app, wanted } = this;
    if (!wanted.part || !wanted.name) { app.table.paper.ghost([]); return; }
    const entry = app.current;
    try {
      const { strokes } = await post(`/api/levels/${app.level}/again/${entry.id}/try`, wanted);
      if (entry === app.current) app.table.paper.ghost(strokes);
    } catch { app.table.paper.ghost([]); }
  }

  async use() {
    const { wanted, view } = this;
    if (!wanted.part) { notice('Name parts in the dock first'); return; }
    if (!wanted.name) { notice('Name the part that the lines become'); return; }
    const answer = await view.ledge.post('again', wanted);
    if (!answer || answer.again) return;
    this.app.table.paper.ghost([]);
    notice(`${wanted.part} is ${wanted.name} in ${answer.drawings.length} drawings; it can be undone as one`);
  }
}
