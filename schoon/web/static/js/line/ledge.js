// The ledge of the Line stage: its views, and what they share.

import { html } from '../dom.js';
import { notice } from '../api.js';
import { changeRun } from '../edits/queue.js';
import { BetweenView } from './views/between.js';
import { CompareView } from './views/compare.js';
import { HoldView } from './views/hold.js';
import { PartsView } from './views/parts.js';
import { PassView } from './views/pass.js';
import { PropView } from './views/prop.js';
import { ReadView } from './views/read.js';
import { RunView } from './views/run.js';
import { SheetView } from './views/sheet.js';

// What is read on the tab, what it shows, and the tab of a view without one.
const VIEWS = { run: ['Run', RunView], read: ['Read roughs', ReadView], pass: ['Pass on', PassView], between: ['In-betweens', BetweenView],
  parts: ['Parts', PartsView], hold: ['Hold', HoldView], prop: ['Prop', PropView], sheet: ['', SheetView, 'parts'], compare: ['Compare', CompareView] };

export class LineLedge {
  constructor(app, stage, chosen) {
    Object.assign(this, { app, stage, chosen, body: stage.body });
    this.reading = { searching: null, detail: 0.5, follow: 0.5, blacks: 'found', ink: 'strokes', pencils: [], keep: [], taught_by: [], ...app.data.reading };
    delete this.reading.pressure;
    this.reading.pencils = (this.reading.pencils || []).map((p) => (Array.isArray(p) ? { hue: p[0], role: p[1] } : p));
    this.views = Object.fromEntries(Object.entries(VIEWS).map(([id, [, View]]) => [id, new View(this)]));
    this.view = 'run';
  }

  has(view) { return view in VIEWS; }

  // The tab that is lit.
  get inView() { return VIEWS[this.view][2] ?? this.view; }

  show() {
    const { stage } = this;
    const { run } = this.app.data;
    const lined = run.filter((d) => d.strokes).length;
    const tabs = Object.entries(VIEWS).filter(([, [label]]) => label).map(([id, [label]]) => [id, label]);
    stage.heads(tabs, this.inView, html`<span class="quiet">${lined === run.length ? '' : `${lined} of ${run.length} lined`}</span>
      <span class="push"></span><span class="acts-here"></span>`);
    this.acts = stage.head.querySelector('.acts-here');
    this.views[this.view].show();
  }

  // Something was said of marks: how the rough is read now is seen at once.
  said() {
    if (this.view === 'read') this.show();
    else this.use('read');
  }

  use(view) {
    this.view = view;
    this.body.replaceChildren();
    this.dropGhost();
    this.show();
  }

  dropGhost() { const { paper } = this.app.table; paper.ghost([]); paper.marks([]); paper.said([]); paper.path([]); paper.layers.sway.replaceChildren();
    paper.layers.prop.replaceChildren(); }

  button(label, act, main = false, id = '') {
    const button = document.createElement('button');
    button.textContent = label;
    if (main) button.className = 'main';
    if (id) button.id = id;
    button.addEventListener('click', act);
    this.acts.append(button);
  }

  // Drawings that were named one by one: those chosen on the sheet, or the only one.
  named(drawings) {
    const { chosen } = this.app;
    if (drawings.length === 1) return drawings;
    return chosen.size > 1 ? drawings.filter((id) => chosen.has(id)) : [];
  }

  async clean(drawings) {
    this.dropGhost();
    const teachers = new Set(this.reading.taught_by);
    if (drawings.length > 1) drawings = drawings.filter((d) => !teachers.has(d));
    const found = await this.app.touches.ask({ act: 'clean', drawings }, `Clean ${drawings.length} drawing${drawings.length === 1 ? '' : 's'}`,
      this.named(drawings));
    if (!found) return;
    const n = found.drawings.length;
    notice(`Cleaning ${n} drawing${n === 1 ? '' : 's'}; lines a hand has touched stay, and it can be undone as one`);
    this.app.jobs.start(`/api/levels/${this.app.level}/jobs`, { kind: 'clean', drawings: found.drawings, also: found.also, reading: this.reading });
  }

  // Resolves to the answer, or null if it was refused.
  async post(what, content) {
    const { app } = this;
    try {
      const answer = await changeRun(app.level, what, content);
      await app.sync.refresh();
      await app.table.draw();
      return answer;
    } catch (error) { notice(error.message, true); return null; }
  }

  key(key) {
    const { pass } = this.views;
    const act = { y: () => pass.traceBack(), 'shift+y': () => pass.fit() }[key];
    if (!act) return false;
    if (this.view === 'pass') act();
    else { this.use('pass'); notice('Choose what is passed on and to which drawings, then press the key again'); }
    return true;
  }
}
