// What is unsure, as questions: one card for one thing, however many drawings it runs through, or for several that are likely
// of one pot; decided by one key.

import { CARD, shown } from '../keys.js';
import { fill, html } from '../dom.js';
import { get, notice } from '../api.js';
import { change } from '../edits/queue.js';
import { paint } from '../shot/drawings.js';

// The keys of the pots in question, likeliest first.
const POTS = [CARD.take, CARD.other, CARD.third];

// Size of a crop on a card, and on one with many, px; and how much of the picture's width the first shows.
const CROP = [124, 92];
const SMALL = [92, 45];
const SHARE = 0.16;

// Drawings of a thing that are shown: the first, the last and one between. Things of a question that are, unless it is in hand.
const SHOWN = 3;
const THINGS = 4;
const SEEN = 60;

// After this long without another answer, what follows from the answers is worked out, ms.
const PAUSE = 1500;

// A key that was meant for a card that has just fallen away does nothing, ms.
const STARTLED = 400;

// Seconds a question takes until the artist's own pace is known, and beyond which it was a break.
const PACE = 5;
const BREAK = 40;

const named = (place) => [place.drawing, ...place.at].join();
const same = (a, b) => a.drawing === b.drawing && a.at[0] === b.at[0] && a.at[1] === b.at[1];

export class UnsureQueue {
  constructor(app, stage) {
    this.app = app;
    this.stage = stage;
    this.cards = null;
    this.at = 0;
    this.fell = 0;
    // How many answers there were, and how many of them are being saved.
    this.turn = this.answering = 0;
    // Things that were taken out of a card, and things whose patches were taken apart, by their places.
    this.apart = new Set();
    this.split = new Set();
    // Drawing -> the picture of it that was asked for last, and the one that has arrived.
    this.asked = new Map();
    this.arrived = new Map();
    this.answered = 0;
    this.paces = [];
    this.body = stage.body;
  }

  async load() {
    try {
      const { turn } = this;
      const { cards } = await get(`/api/shots/${this.app.data.shot.id}/unsure?level=${this.app.level}`);
      // Older than what a quick hand has answered: the list is read again when that is saved.
      if (this.answering || turn !== this.turn) return;
      const before = this.cards?.[this.at];
      this.cards = cards.flatMap((card) => this.without(card));
      // The card in hand stays in hand, wherever it is now.
      const own = before ? this.cards.findIndex((card) => card.places.some((place) => same(place, before.places[0]))) : -1;
      if (before && own < 0) this.fell = performance.now();
      this.at = own >= 0 ? own : Math.min(this.at, Math.max(0, this.cards.length - 1));
      this.stage.ledge();
    } catch (error) { notice(error.message, true); }
  }

  // The cards in place of one some of whose things, or whose only one, were taken apart.
  without(card) {
    if (!card.parts.length) return card.each.some((part) => this.split.has(named(part.places[0]))) ? card.each : [card];
    const kept = card.parts.filter((part) => !part.places.some((place) => this.apart.has(named(place))));
    if (kept.length === card.parts.length) return [card];
    const alone = card.parts.filter((part) => !kept.includes(part)).flatMap((part) => this.without(part));
    if (kept.length < 2) return [...kept.flatMap((part) => this.without(part)), ...alone];
    const worst = kept.reduce((a, b) => (b.doubt > a.doubt ? b : a));
    const carried = [...new Set(kept.flatMap((part) => part.carried))];
    return [{ ...worst, pots: card.pots, carried, places: kept.flatMap((part) => part.places), parts: kept, each: [] }, ...alone];
  }

  // One thing of a card, or all of them, become cards of their own; so do the patches of one thing.
  takeApart(which = null) {
    const card = this.cards?.[this.at];
    const parts = which || (card?.parts.length ? card.parts : card?.each);
    if (!parts?.length) { notice('This card is about one patch'); return; }
    const into = card.parts.length ? this.apart : this.split;
    for (const part of parts) for (const place of part.places) into.add(named(place));
    this.cards.splice(this.at, 1, ...this.without(card));
    this.look();
  }

  crop(entry, [x, y], [wide, high] = CROP) {
    if (!entry) return '';
    const { width, height } = this.app.data.shot;
    const scale = CROP[0] / (SHARE * width);
    const [left, up] = [wide / 2 - x * scale, high / 2 - y * scale];
    return `background-image:${this.pictures(entry)};background-size:${width * scale}px ${height * scale}px;background-position:${left}px ${up}px`;
  }

  // The picture of a drawing, over the last one that has arrived: a crop is not bare while it is made anew.
  pictures(entry) {
    const url = this.app.colours.viewUrl(entry, 960, 'paint');
    const before = this.arrived.get(entry.id);
    if (before === url) return `url('${url}')`;
    if (this.asked.get(entry.id) !== url) {
      const picture = new Image();
      picture.addEventListener('load', () => this.arrived.set(entry.id, url));
      picture.src = url;
      this.asked.set(entry.id, url);
    }
    return before ? `url('${url}'),url('${before}')` : `url('${url}')`;
  }

  // The patch itself, outlined in its crop as soon as its drawing is known; until then a ring says where it lies.
  async outline(crop, { drawing, at: [x, y] }, [wide, high]) {
    const entry = this.app.byId.get(drawing);
    const shapes = entry && await paint(entry).catch(() => null);
    const near = ({ at }) => Math.hypot(at[0] - x, at[1] - y);
    const shape = shapes?.patches.reduce((a, b) => (!a || near(b) < near(a) ? b : a), null);
    if (!shape || near(shape) > 1) return;
    const px = SHARE * this.app.data.shot.width / CROP[0];
    const box = [x - wide * px / 2, y - high * px / 2, wide * px, high * px];
    fill(crop, html`<svg viewBox="${box.join(' ')}"><path d="${shape.d}"></path><path d="${shape.d}"></path></svg>`);
  }

  show(acts) {
    this.acts = acts;
    this.app.tell('cards');
    const card = this.cards?.[this.at];
    const several = this.severable(card);
    // A card comes apart or has a third pot, or both.
    const third = (!several || card.pots.length > 2) && html`<button id="queue-third">Third <kbd>${shown(CARD.third)}</kbd></button>`;
    const apart = several && html`<button id="queue-apart">Apart <kbd>${shown(CARD.apart)}</kbd></button>`;
    const ways = card?.joined.length ? html`<button id="queue-leak">Find the leak <kbd>${shown(CARD.leak)}</kbd></button>` : [third, apart];
    fill(acts, html`${this.cards ? '' : html`<span class="quiet">Reading …</span>`}<button id="queue-take">First <kbd>${shown(CARD.take)}</kbd></button>
      <button id="queue-second">Second <kbd>${shown(CARD.other)}</kbd></button>${ways}
      <button id="queue-bare">No paint <kbd>${shown(CARD.none)}</kbd></button><button id="queue-later">Later <kbd>${shown(CARD.later)}</kbd></button>`);
    const does = {
      take: () => this.decide(0), second: () => this.decide(1), third: () => this.decide(2), bare: () => this.decide(null),
      leak: () => this.traceLeak(), apart: () => this.takeApart(), later: () => this.later(),
    };
    for (const [id, act] of Object.entries(does)) acts.querySelector(`#queue-${id}`)?.addEventListener('click', act);
    if (!this.cards) { this.load(); return; }
    if (!this.cards.length) { fill(this.body, html`<p class="empty">No patch is unsure.</p>`); return; }
    this.body.replaceChildren(...this.cards.slice(0, SEEN).map((card, k) => this.node(card, k)));
    this.body.querySelector('[aria-current]')?.scrollIntoView({ block: 'nearest', inline: 'nearest' });
  }

  severable(card) { return Boolean(card?.parts.length || card?.each.length); }

  // How long the rest takes at this artist's pace, in minutes.
  left() {
    const paces = [...this.paces].sort((a, b) => a - b);
    const each = paces.length ? paces[Math.floor(paces.length / 2)] : PACE;
    return this.cards.length * each / 60;
  }

  // After a few answers the rest of the run is judged anew, and cards fall away.
  settle() {
    const { app } = this;
    clearTimeout(this.soon);
    this.soon = setTimeout(() => {
      app.jobs.start(`/api/levels/${app.level}/jobs`, { kind: 'carry', again: true, keep: this.stage.lockedPots }, null, true);
    }, PAUSE);
  }

  potName(id) { return this.app.data.pots.find((p) => p.id === id)?.name || 'no paint'; }

  node(card, k) {
    const { app } = this;
    const node = document.createElement('button');
    node.className = 'unsure-card';
    if (k === this.at) node.setAttribute('aria-current', 'true');
    const outside = card.joined.some(([id]) => id < 0);
    const several = card.parts.length > 1;
    const from = !outside && !several && card.from && app.byId.get(card.from[0]);
    const swatch = (id) => html`<span class="swatch" style="background:${id < 0 ? 'none' : `var(--pot-${id})`}"></span>`;
    const pots = card.pots.map((id, n) => html`<em>${shown(POTS[n])}</em>${swatch(id)}<span class="pot-name" data-pot="${id}">${this.potName(id)}</span>`);
    const offers = card.joined.length ? `runs together: ${card.joined.map(([id]) => (id < 0 ? 'the outside' : this.potName(id))).join(', ')}` : pots;
    const beside = from && html`<i class="from" style="${this.crop(from, [card.from[1], card.from[2]])}"></i>`;
    const seen = card.joined.length ? [{ drawing: card.drawing, at: card.at }] : this.shown(card);
    const says = several ? 'Press to take it out of this card' : '';
    const kept = several && k !== this.at ? seen.slice(0, THINGS) : seen;
    const size = kept.length > THINGS ? SMALL : CROP;
    const crops = kept.map(({ drawing, at }, n) => html`<i data-part="${several ? n : ''}" title="${says}"
      style="${this.crop(app.byId.get(drawing), at, size)}"></i>`);
    const numbers = [...new Set(card.places.map((place) => app.byId.get(place.drawing)?.number))];
    const all = several ? `${card.parts.length} things, ${card.places.length} patches` : `${card.places.length} patches`;
    const further = kept.length < seen.length && html`<b class="further">+ ${seen.length - kept.length}</b>`;
    const many = card.places.length > 1 && html` <span class="quiet">${all}</span>`;
    const which = numbers.length > 1 ? `${numbers[0]} to ${numbers.at(-1)}` : card.number;
    fill(node, html`<span class="pair ${kept.length > THINGS ? 'two-rows' : ''}">${crops}${further}${beside}</span>
      <span class="words"><b class="number">${which}</b>${from && ` like ${from.number}`}${many} <u>${card.doubt.toFixed(2)}</u></span>
      <span class="offers">${offers}</span>`);
    if (!card.joined.length) kept.forEach((place, n) => this.outline(node.querySelectorAll('.pair i')[n], place, size));
    node.addEventListener('click', (event) => {
      const part = several && k === this.at && event.target.closest('[data-part]')?.dataset.part;
      this.at = k;
      if (part) this.takeApart([card.parts[part]]); else this.look();
    });
    return node;
  }

  // Places of a question: each thing, or the first, a middle and the last of the drawings of the only one.
  shown({ places, parts }) {
    if (parts.length > 1) return parts.map(({ drawing, at }) => ({ drawing, at }));
    const firsts = places.filter((place, k) => places.findIndex((p) => p.drawing === place.drawing) === k);
    if (firsts.length <= SHOWN) return firsts;
    return [firsts[0], firsts[Math.floor(firsts.length / 2)], firsts.at(-1)];
  }

  async look() {
    this.show(this.acts);
    const card = this.cards[this.at];
    if (!card) return;
    await this.app.go(card.drawing);
    if (this.cards?.[this.at] !== card) return;
    this.app.table.lookAt(card.at[0], card.at[1], Math.max(1.2, this.app.table.view.zoom));
  }

  async decide(n) {
    const card = this.cards?.[this.at];
    if (!card) { notice('No patch is unsure'); return; }
    if (n !== null && card.pots[n] === undefined) { notice('There is no such proposal for this patch; pour the pot by hand'); return; }
    const { app } = this;
    if (performance.now() - this.fell < STARTLED) return;
    const pot = n === null ? -1 : card.pots[n];
    // To accept what it carries now is no change.
    if (card.carried.some((id) => id !== pot && this.stage.closed(id))) return;
    const now = performance.now();
    const took = (now - this.answered) / 1000;
    if (this.answered && took < BREAK) this.paces.push(took);
    this.answered = now;
    this.cards.splice(this.at, 1);
    this.at = Math.min(this.at, Math.max(0, this.cards.length - 1));
    // A quick hand does not wait for the answer to be saved.
    this.look().catch((error) => notice(error.message, true));
    try {
      this.turn += 1;
      this.answering += 1;
      await change('levels', app.level, 'answer', { places: card.places, pot }).finally(() => { this.answering -= 1; });
      this.settle();
      if (this.answering) return;
      const { turn } = this;
      await app.sync.refresh();
      if (turn !== this.turn) return;
      this.show(this.acts);
      app.table.draw();
    } catch (error) { notice(error.message, true); this.load(); }
  }

  // Areas of unlike pots in one patch: the gap between them is shown at Seal.
  traceLeak() {
    const card = this.cards?.[this.at];
    if (!card?.joined.length) { notice('No areas run together in this patch'); return; }
    const [[, x0, y0], [, x1, y1]] = card.joined;
    this.app.leak.trace([x0, y0], [x1, y1]);
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
    else if (key === CARD.apart) this.takeApart();
    else if (key === CARD.leak && this.cards?.[this.at]?.joined.length) this.traceLeak();
    else return false;
    return true;
  }
}
