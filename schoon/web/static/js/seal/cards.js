// Gap cards through the whole shot, worst doubt first.

import { fill, html } from '../dom.js';
import { get, notice } from '../api.js';
import { change, edit } from '../edits/queue.js';
import { CARD, shown } from '../keys.js';

const SEEN = 80;

export class GapCards {
  constructor(app, stage) {
    Object.assign(this, { app, stage });
    this.cards = [];
    this.judged = 0;
    this.at = 0;
    this.limit = 0.75;
    // How many judgements there were, and how many of them are being saved.
    this.turn = this.judging = 0;
  }

  get card() { return this.cards[this.at]; }

  clamp() { this.at = Math.min(this.at, Math.max(0, this.cards.length - 1)); }

  async load() {
    const { app, turn } = this;
    try {
      const found = await get(`/api/shots/${app.data.shot.id}/gaps?level=${app.level}`);
      // Older than what a quick hand has judged: the list is read again when that is saved.
      if (this.judging || turn !== this.turn) return;
      ({ cards: this.cards, judged: this.judged } = found);
      this.clamp();
      this.show();
    } catch (error) { notice(error.message, true); }
  }

  show() {
    const { head, body } = this.stage;
    this.showHead(head);
    if (!this.cards.length) {
      fill(body, html`<p class="empty">No gap is waiting to be judged. Patches are tinted on the paper: two forms of one tint leak into
        each other, and a stitch (${shown('t')}) parts them.</p>`);
      return;
    }
    body.replaceChildren(...this.cards.slice(0, SEEN).map((card, k) => this.node(card, k)));
    body.querySelector('[aria-current]')?.scrollIntoView({ block: 'nearest', inline: 'nearest' });
  }

  showHead(head) {
    const waits = this.cards.length;
    const count = html`Gaps${waits ? html` <b class="ask">${waits}</b>` : ''}`;
    this.stage.heads([['gaps', count]], 'gaps',
      html`<span class="${waits ? 'ask' : 'quiet'}" title="Worst doubt first, whole shot; ${this.judged} judged by hand">${waits} to judge</span><span
        class="push"></span>
      <button id="gap-take">Take <kbd>${shown(CARD.take)}</kbd></button><button id="gap-leave">Leave open <kbd>${shown(CARD.other)}</kbd></button><button
        id="gap-later">Later <kbd>${shown(CARD.later)}</kbd></button>
      <label title="Take all that wait with less doubt than this">below <input id="gap-limit" type="number" min="0.05" max="1" step="0.05"
        value="${this.limit}"></label>
      <button id="gap-under"></button><button id="find-gaps">Look again</button>`);
    const under = head.querySelector('#gap-under');
    const say = () => {
      const count = this.cards.filter((c) => c.doubt < this.limit).length;
      under.textContent = `Take all ${count}`;
      under.disabled = !count;
    };
    say();
    head.querySelector('#gap-limit').addEventListener('input', (event) => { this.limit = Number(event.target.value) || this.limit; say(); });
    const acts = { '#gap-under': () => this.takeUnder(), '#gap-take': () => this.judge('taken'), '#gap-leave': () => this.judge('left'),
      '#gap-later': () => this.later(), '#find-gaps': () => this.lookAgain() };
    for (const [id, act] of Object.entries(acts)) head.querySelector(id).addEventListener('click', act);
  }

  node(card, k) {
    const node = document.createElement('button');
    node.className = 'gap-card';
    if (k === this.at) node.setAttribute('aria-current', 'true');
    const like = card.like && html`<span class="like">as in ${card.like.number}: ${card.like.state === 'taken' ? 'take'
      : 'leave open'} <kbd>${shown(CARD.alike)}</kbd></span>`;
    fill(node, html`<img src="/drawings/${card.drawing}/gap/${card.stitch}.png?v=${card.revision}" alt="Gap in drawing ${card.number}" loading="lazy">
      <span>drawing ${card.number}<i class="quiet">${card.width} px</i><b>${card.doubt.toFixed(2)}</b></span>${like}`);
    node.title = card.reason;
    node.addEventListener('click', () => { this.at = k; this.look(); });
    return node;
  }

  async look() {
    const { app, card } = this;
    this.show();
    if (!card) return;
    this.stage.chosen = card.stitch;
    await app.go(card.drawing);
    // A quick hand has judged it meanwhile: the paper stays where it is.
    if (this.card !== card) return;
    const [x, y] = card.points[Math.floor(card.points.length / 2)];
    app.table.lookAt(x, y, Math.max(2, app.table.view.zoom));
    app.tools.says(`${card.reason}, ${card.width} px wide`);
  }

  async judge(state) {
    const { app, card } = this;
    if (!card) { notice('There is no gap to judge'); return; }
    this.turn += 1;
    this.judging += 1;
    const entry = app.byId.get(card.drawing);
    this.cards = this.cards.filter((c) => c !== card);
    this.judged += state === 'left';
    this.clamp();
    this.show();
    try {
      await edit(entry, 'judge', { stitch: card.stitch, state }).finally(() => { this.judging -= 1; });
      entry.open_gaps = Math.max(0, entry.open_gaps - 1);
      app.sync.changed(entry);
      if (this.judging) return;
      const { turn } = this;
      await this.load();
      if (turn !== this.turn) return;
      if (this.card) this.look(); else app.table.draw();
    } catch (error) { notice(error.message, true); this.load(); }
  }

  // As the same gap was judged next door.
  judgeAlike() {
    if (this.card?.like) this.judge(this.card.like.state); else notice('The same gap has not been judged next door');
  }

  later() {
    if (!this.cards.length) return;
    this.cards.push(...this.cards.splice(this.at, 1));
    this.look();
  }

  async takeUnder() {
    const { app } = this;
    try {
      const done = await change('levels', app.level, 'take-under', { under: this.limit });
      const [stitches, drawings] = [done.things, done.drawings?.length];
      if (!done.again) notice(`${stitches} stitch${stitches === 1 ? '' : 'es'} taken in ${drawings} drawing${drawings === 1 ? '' : 's'}; undone as one`);
      await app.sync.refresh();
      await app.table.draw();
    } catch (error) { notice(error.message, true); }
  }

  lookAgain() {
    const { app } = this;
    app.jobs.start(`/api/levels/${app.level}/jobs`, { kind: 'seal', drawings: app.chosen.size > 1 ? [...app.chosen] : null });
  }

  key(key) {
    const act = { [CARD.take]: () => this.judge('taken'), [CARD.other]: () => this.judge('left'), [CARD.later]: () => this.later(),
      [CARD.alike]: () => this.judgeAlike() }[key];
    act?.();
    return Boolean(act);
  }
}
