// The page of a prop: simple forms drawn over its model sheet, and what they make from any side.

import { notice, post, upload } from './api.js';
import { Sheet } from './prop/sheet.js';
import { List } from './prop/list.js';
import { Look } from './prop/look.js';

const PAUSE = 250;

// What the page holds: the prop as it is made, what is chosen, and the way back.
class Page {
  constructor(data) {
    Object.assign(this, data);
    this.done = [];
    this.undone = [];
    this.chosen = -1;
    this.look = new Look(this);
    this.list = new List(this);
    this.sheetView = data.made.kind === 'built' ? new Sheet(this) : null;
    document.querySelector('.prop-sheet').hidden = !this.sheetView;
    document.querySelector('.prop-page').classList.toggle('from-file', !this.sheetView);
    const names = document.querySelector('.prop-names');
    names.addEventListener('submit', (event) => event.preventDefault());
    names.addEventListener('change', () => { this.name = names.name.value; this.part = names.part.value; this.save(); });
    for (const [id, act] of [['undo', () => this.step(this.done, this.undone)],
      ['redo', () => this.step(this.undone, this.done)]]) document.getElementById(id).addEventListener('click', act);
    document.getElementById('prop-gone').addEventListener('click', () => this.turnGone());
    document.addEventListener('keydown', (event) => this.key(event));
    this.show();
    this.look.again();
  }

  get forms() { return this.made.shapes ?? this.made.surfaces; }

  key(event) {
    if (event.target.matches('input:not([type="checkbox"], [type="range"]), select')) return;
    if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'z') {
      event.preventDefault();
      document.getElementById(event.shiftKey ? 'redo' : 'undo').click();
    } else this.sheetView?.key(event);
  }

  // What the prop becomes. while: the hand is not done yet, so nothing is kept of it.
  becomes(made, whilst = false) {
    if (!whilst) { this.done.push(this.before ?? this.made); this.before = null; this.undone = []; } else this.before ??= this.made;
    this.made = made;
    this.show();
    if (!whilst) this.save();
  }

  step(from, to) {
    if (!from.length) return;
    to.push(this.made);
    this.made = from.pop();
    this.chosen = Math.min(this.chosen, this.forms.length - 1);
    this.show();
    this.save();
  }

  choose(k) { this.chosen = k; this.show(); }

  show() {
    document.getElementById('undo').disabled = !this.done.length;
    document.getElementById('redo').disabled = !this.undone.length;
    this.list.show();
    this.sheetView?.show();
  }

  save() {
    clearTimeout(this.waiting);
    this.waiting = setTimeout(async () => {
      try {
        await post(`/api/props/${this.id}`, { name: this.name, part: this.part, made: this.made, sheet: this.sheet });
        this.look.again();
      } catch (error) { notice(error.message, true); }
    }, PAUSE);
  }

  // Away it is no more offered; drawings keep its lines.
  async turnGone() {
    try {
      await post(`/api/props/${this.id}/drop`, { gone: !this.gone });
      this.gone = !this.gone;
      document.getElementById('prop-gone').textContent = this.gone ? 'Bring the prop back' : 'Take the prop away';
    } catch (error) { notice(error.message, true); }
  }

  async bringSheet(file) {
    const form = new FormData();
    form.append('file', file);
    try {
      const found = await upload(`/api/props/${this.id}/sheet`, form);
      Object.assign(this, found);
      this.show();
    } catch (error) { notice(error.message, true); }
  }
}

export const page = new Page(JSON.parse(document.getElementById('prop-data').textContent));
