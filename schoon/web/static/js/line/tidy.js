// A lasso round a tangled spot: three readings of it as pictures, one key takes one.

import { fill, html } from '../dom.js';
import { notice, post } from '../api.js';
import { CARD, shown } from '../keys.js';
import { lineNow } from '../shot/drawings.js';
import { make, roughStep, roughUrl } from '../shot/paper.js';
import { trailDrag } from '../shot/pen.js';
import { change } from './change.js';

const KEYS = { looser: CARD.take, tighter: CARD.other, finer: CARD.third };
// Px of the screen between two points of the lasso, and how wide it has to be.
const STEP = 4;
const LEAST = 12;

export class TidyTool {
  // reading: how roughs are read now.
  constructor(app, reading) {
    Object.assign(this, { app, reading, id: 'tidy', pen: 'Tidy here: draw round a tangled spot; it is read in three ways', offer: null });
    this.box = document.getElementById('tidy-offer');
  }

  down(event, from) {
    const { app } = this;
    const { paper, view } = app.table;
    this.drop();
    const node = make('path', { class: 'lasso' }, paper.layers['pen-layer']);
    return trailDrag(app, from, node, STEP, true, (path) => {
      const [xs, ys] = [0, 1].map((k) => path.map((p) => p[k]));
      const wide = Math.min(Math.max(...xs) - Math.min(...xs), Math.max(...ys) - Math.min(...ys));
      if (path.length < 4 || wide * view.zoom < LEAST) { node.remove(); notice('Draw round the spot that is to be read anew'); return; }
      this.ask(path, node);
    });
  }

  async ask(lasso, node) {
    const { app } = this;
    const entry = app.current;
    this.box.hidden = false;
    this.box.textContent = 'Reading it in three ways …';
    try {
      const { readings } = await post(`/api/drawings/${entry.id}/tidy`, { lasso, reading: this.reading() });
      if (app.current !== entry) { node.remove(); this.drop(); return; }
      this.offer = { entry, lasso, readings, node };
      this.show();
    } catch (error) { node.remove(); this.drop(); notice(error.message, true); }
  }

  // The rough of the spot under each reading, with a margin.
  show() {
    const { lasso, readings } = this.offer;
    const { width, height } = this.app.data.shot;
    const xs = lasso.map((p) => p[0]);
    const ys = lasso.map((p) => p[1]);
    const [x, y] = [Math.min(...xs) - 10, Math.min(...ys) - 10];
    const [w, h] = [Math.max(...xs) - x + 10, Math.max(...ys) - y + 10];
    const { view } = this.app.table;
    const href = roughUrl(this.offer.entry, lineNow(this.offer.entry), roughStep(view.size[0], view.zoom));
    fill(this.box, html`${Object.entries(readings).map(([how, strokes]) => html`<button data-how="${how}">
        <svg viewBox="${x} ${y} ${w} ${h}" aria-hidden="true"><rect x="${x}" y="${y}" width="${w}" height="${h}" fill="#fff"/>
          <image href="${href}" width="${width}" height="${height}" opacity=".3"/>${strokes.map((s) => html`<path d="${s.d}"/>`)}</svg>
        ${how} <kbd>${shown(KEYS[how])}</kbd> <span class="quiet">${strokes.length} line${strokes.length === 1 ? '' : 's'}</span></button>`)}
      <button data-how="">as it is <kbd>${shown(CARD.none)}</kbd></button>`);
    for (const button of this.box.querySelectorAll('[data-how]')) button.addEventListener('click', () => this.take(button.dataset.how));
  }

  async take(how) {
    const { entry, lasso, readings } = this.offer;
    this.drop();
    if (!how) return;
    const answer = await change(this.app, { do: 'tidy', lasso, strokes: readings[how].map((s) => s.stroke) }, entry);
    if (answer && this.app.current === entry) await this.app.table.draw();
  }

  drop() {
    this.offer?.node.remove();
    this.offer = null;
    this.box.hidden = true;
    this.box.replaceChildren();
  }

  leave() { this.drop(); }

  // A key while readings are offered.
  press(key) {
    if (!this.offer) return false;
    const how = Object.keys(KEYS).find((k) => KEYS[k] === key);
    if (how) this.take(how);
    else if (key === CARD.none || key === 'escape') this.drop();
    else return false;
    return true;
  }
}
