// Areas too small to be patches: the limit, and what of the model it would take.

import { fill, html } from '../dom.js';
import { get, notice } from '../api.js';
import { lineNow } from '../shot/drawings.js';

// A quarter of the smallest part of the model keeps it through turns and perspective.
const SHARE = 1 / 4;
const field = () => document.getElementById('specks');

export class Specks {
  constructor(app) {
    this.app = app;
    // The smallest part of the model, as large as it is in the drawing on the table, and of which drawing that is.
    this.part = {};
    this.partOf = null;
  }

  build(slip) {
    const label = document.createElement('label');
    label.className = 'specks';
    label.title = 'Areas smaller than this join the neighbour that is nearest, in all drawings of the level';
    fill(label, html`Specks under <span><input id="specks" type="number" min="0" max="5000" step="1"> px²</span><button id="specks-part" type="button"
      hidden></button>`);
    label.querySelector('input').addEventListener('change', () => this.set());
    slip.append(label);
  }

  set() {
    const { app, part } = this;
    const under = Number(field().value);
    field().blur();
    if (part.area && under > part.area) notice(`${part.pot} is about ${part.area} px² here: it goes too`, true, 9000);
    app.jobs.start(`/api/levels/${app.level}/jobs`, { kind: 'specks', under });
  }

  async show() {
    const { current } = this.app;
    if (document.activeElement !== field()) field().value = lineNow(current)?.specks ?? '';
    const asked = `${current.id}/${current.revision}`;
    if (this.partOf === asked) return;
    this.partOf = asked;
    const found = await get(`/api/drawings/${current.id}/smallest`).catch(() => ({}));
    if (this.partOf !== asked) return;
    this.part = found;
    this.offer(Math.floor((found.area || 0) * SHARE));
  }

  offer(limit) {
    const { pot, area } = this.part;
    const button = document.getElementById('specks-part');
    button.hidden = limit < 1;
    button.textContent = `${pot} ${area} px²`;
    button.title = `${pot} is the smallest part of the model, here about ${area} px². Press: specks under ${limit} px² join their neighbour`;
    button.onclick = () => { field().value = limit; this.set(); };
  }
}
