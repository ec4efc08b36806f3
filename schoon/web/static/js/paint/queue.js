// The queue of unsure patches: each beside the patch it was compared with, decided by one key.

import { CARD } from '../keys.js';
import { fill, html } from '../dom.js';
import { edit, get, notice } from '../api.js';
import { adopt } from '../drawings.js';

// The keys of the pots in question, likeliest first.
const POTS = [CARD.take, CARD.other, CARD.third];

const CROP = [124, 92];

export class UnsureQueue {
  constructor(app, stage) {
    this.app = app;
    this.stage = stage;
    this.cards = null;
    this.at = 0;
    this.body = document.getElementById('ledge-body');
  }

  async load() {
    try {
      this.cards = (await get(`/api/shots/${this.app.data.shot.id}/unsure?level=${this.app.data.shot.level_id}`)).cards;
      this.at = Math.min(this.at, Math.max(0, this.cards.length - 1));
      this.show(this.acts);
    } catch (error) { notice(error.message, true); }
  }

  crop(entry, [x, y]) {
    if (!entry) return '';
    const { width, height } = this.app.data.shot;
    const scale = CROP[0] / (0.16 * width);
    return `background-image:url('${this.app.viewUrl(entry, 960, 'paint')}');background-size:${width * scale}px ${height * scale}px;background-position:${CROP[0] / 2 - x * scale}px ${CROP[1] / 2 - y * scale}px`;
  }

  show(acts) {
    this.acts = acts;
    fill(acts, html`${this.cards ? '' : html`<span class="quiet">Reading …</span>`}<button id="queue-take">First <kbd>J</kbd></button><button id="queue-second">Second <kbd>K</kbd></button><button id="queue-third">Third <kbd>M</kbd></button><button id="queue-bare">No paint <kbd>X</kbd></button><button id="queue-later">Later <kbd>L</kbd></button>`);
    if (this.cards?.[this.at]?.joined.length) {
      const third = acts.querySelector('#queue-third');
      third.id = 'queue-leak';
      fill(third, html`Trace leak <kbd>B</kbd>`);
      acts.querySelector('#queue-leak').addEventListener('click', () => this.traceLeak());
    }
    const wire = (id, act) => acts.querySelector(id).addEventListener('click', act);
    wire('#queue-take', () => this.decide(0));
    wire('#queue-second', () => this.decide(1));
    if (acts.querySelector('#queue-third')) wire('#queue-third', () => this.decide(2));
    wire('#queue-bare', () => this.decide(null));
    wire('#queue-later', () => this.later());
    if (!this.cards) { this.load(); return; }
    if (!this.cards.length) { fill(this.body, html`<p class="empty">No patch is unsure.</p>`); return; }
    const { app } = this;
    this.body.replaceChildren(...this.cards.slice(0, 60).map((card, k) => {
      const node = document.createElement('button');
      node.className = 'unsure-card';
      if (k === this.at) node.setAttribute('aria-current', 'true');
      const entry = app.byId.get(card.drawing);
      const from = card.from && app.byId.get(card.from[0]);
      const pots = card.pots.map((id, n) => html`<em>${POTS[n].toUpperCase()}</em><span class="swatch" style="background:${id < 0 ? 'none' : `var(--pot-${id})`}"></span><span class="pot-name" data-pot="${id}"></span>`);
      fill(node, html`<span class="pair"><i style="${this.crop(entry, card.at)}"></i>${from ? html`<i class="from" style="${this.crop(from, [card.from[1], card.from[2]])}"></i>` : ''}</span><span class="words"><b class="number">${card.number}</b>${from ? html` like ${from.number}` : ''} <u>${card.doubt.toFixed(2)}</u></span><span class="offers">${card.joined.length ? '' : pots}</span>`);
      if (card.joined.length) node.querySelector('.offers').textContent = `runs together: ${card.joined.map(([id]) => app.data.pots.find((p) => p.id === id)?.name).join(', ')}`;
      for (const name of node.querySelectorAll('.pot-name')) name.textContent = app.data.pots.find((p) => p.id === Number(name.dataset.pot))?.name || 'no paint';
      node.addEventListener('click', () => { this.at = k; this.look(); });
      return node;
    }));
    this.body.querySelector('[aria-current]')?.scrollIntoView({ block: 'nearest', inline: 'nearest' });
  }

  async look() {
    this.show(this.acts);
    const card = this.cards[this.at];
    if (!card) return;
    await this.app.go(card.drawing);
    this.app.lookAt(card.at[0], card.at[1], Math.max(1.2, this.app.view.zoom));
  }

  async decide(n) {
    const card = this.cards?.[this.at];
    if (!card) { notice('No patch is unsure'); return; }
    if (n !== null && card.pots[n] === undefined) { notice('There is no such proposal for this patch; pour the pot by hand'); return; }
    const { app } = this;
    const entry = app.byId.get(card.drawing);
    // The first pot is the one it carries now: to accept it is no change.
    if (n !== 0 && this.stage.closed(card.pots[0])) return;
    this.cards.splice(this.at, 1);
    this.at = Math.min(this.at, Math.max(0, this.cards.length - 1));
    const before = entry.revision;
    try {
      const answer = await edit(entry, 'pour', { points: [card.at], pot: n === null ? -1 : card.pots[n] });
      if (!answer.merged) adopt(entry, before, { paint: (old) => ({ ...old, revision: answer.revision, paint: answer.paint }) });
      entry.unsure = Math.max(0, entry.unsure - 1);
      app.changed(entry);
      if (this.cards.length) await this.look(); else { this.show(this.acts); app.draw(); }
    } catch (error) { notice(error.message, true); this.load(); }
  }

  // Areas of unlike pots in one patch: the gap between them is shown at Seal.
  traceLeak() {
    const card = this.cards?.[this.at];
    if (!card?.joined.length) { notice('No areas run together in this patch'); return; }
    const [[, x0, y0], [, x1, y1]] = card.joined;
    const { shot } = this.app.data;
    window.location.href = `/shots/${shot.id}/seal?level=${shot.level_id}&leak=${[x0, y0, x1, y1].join(',')}#d=${card.drawing}`;
  }

  later() {
    if (!this.cards?.length) return;
    this.cards.push(...this.cards.splice(this.at, 1));
    this.look();
  }

  key(key) {
    if (POTS.includes(key)) this.decide(POTS.indexOf(key));
    else if (key === CARD.none) this.decide(null);
    else if (key === CARD.later) this.later();
    else if (key === CARD.leak) this.traceLeak();
    else return false;
    return true;
  }
}
