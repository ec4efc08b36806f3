// The set of a level beside its sheet: named drawings and short runs as small pictures. One key puts one at the playhead.

import { fill, html } from '../dom.js';
import { get, notice, post } from '../api.js';

const $ = (id) => document.getElementById(id);
const MOST = 9;

export class Sets {
  constructor(app, wide) {
    this.app = app;
    this.wide = wide;
    $('set-name').addEventListener('click', () => this.name());
    $('set-bring').addEventListener('click', () => this.offer());
    $('set-row').addEventListener('click', (event) => {
      const { pick, take } = event.target.closest('[data-pick], [data-take]')?.dataset ?? {};
      if (pick) this.pick(pick, event.altKey);
      if (take) this.app.levels.stack('name-entry', { level: this.app.level, name: take, run: null });
    });
  }

  get entries() { return this.app.levels.mine?.entries ?? []; }

  // Shift and a digit, while the sheet has the focus; with Alt the run is played back again at its end.
  press(event) {
    const digit = /^Digit([1-9])$/.exec(event.code)?.[1];
    if (!digit || !event.shiftKey) return false;
    const entry = this.entries[Number(digit) - 1];
    if (entry) this.pick(entry[0], event.altKey);
    return true;
  }

  show() {
    const { app } = this;
    const { drawings } = app.levels.mine;
    const picture = (id) => {
      const entry = app.byId.get(id);
      return entry ? app.colours.viewUrl(entry, 240, app.stage.look) : '';
    };
    const words = (run) => run.map(([id, frames]) => `${drawings[id]?.[0] ?? '?'}${run.length > 1 ? ` ${frames}` : ''}`).join(', ');
    fill($('set-row'), html`${this.entries.map(([name, run], k) => html`<li><button data-pick="${name}" title="From the playhead on: ${words(run)}"><img
      src="${picture(run[0][0])}" alt=""><b>${name}</b>${k < MOST ? html`<kbd>⇧${k + 1}</kbd>` : ''}</button><button data-take="${name}"
        aria-label="Take ${name} out of the set">×</button></li>`)}`);
    $('set-row').hidden = !this.entries.length;
  }

  // The chosen span, else from the playhead to where the next thing starts.
  pick(name, back) {
    const { app, wide } = this;
    const { sheet } = app.levels.mine;
    const own = wide.span && wide.ids.length === 1 && wide.ids[0] === app.level && wide.span[1] > wide.span[0];
    const next = sheet.find(([first]) => first > app.frame)?.[0] ?? app.data.shot.frames + 1;
    const [first, last] = own ? wide.span : [app.frame, next - 1];
    wide.acts.done({ do: 'pick', levels: [app.level], first, last, name, back }).catch((error) => notice(error.message, true));
  }

  name() {
    const { app, wide } = this;
    const runs = wide.span && wide.ids.length === 1 && wide.ids[0] === app.level ? wide.acts.piecesIn(app.levels.mine) : [];
    const run = runs.filter(([id]) => id);
    if (!run.length) { notice(`Choose frames of ${app.data.shot.level} in which the drawings of the entry stand`); return; }
    const name = (window.prompt('Name of the entry, such as “ah” or “blink”') || '').trim().slice(0, 40);
    if (name) app.levels.stack('name-entry', { level: app.level, name, run });
  }

  async offer() {
    const { app } = this;
    const { data } = app;
    try {
      const { sets } = await get(`/api/shots/${data.shot.id}/sets${data.model ? `?model=${data.model}` : ''}`);
      if (!sets.length) { notice('No other shot of this production has a set of this model'); return; }
      const list = sets.map((one, k) => `${k + 1}  ${one.name} of ${one.shot}: ${one.entries.join(', ')}`).join('\n');
      const which = sets.length === 1 ? (window.confirm(`Bring this set as a level of its own?\n${list}`) ? 1 : 0)
        : Number(window.prompt(`Which set comes, as a level of its own?\n${list}`, '1'));
      const one = sets[which - 1];
      if (one) location.assign((await post(`/api/shots/${data.shot.id}/sets`, { level: one.level })).url);
    } catch (error) { notice(error.message, true); }
  }
}
