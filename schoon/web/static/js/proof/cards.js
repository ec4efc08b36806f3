// What was found, as cards: the place, a drawing in which it is right, and what can be done about it.

import { CARD, shown } from '../keys.js';
import { fill, html } from '../dom.js';
import { get, notice, post } from '../api.js';
import { change, edit } from '../edits/queue.js';
import { line } from '../shot/drawings.js';

const CROP = [124, 92];
// Share of the picture's width that a crop shows.
const CLOSE = 0.12;
const SEEN = 80;
// After the last change, until the level is looked at anew, ms.
const PAUSE = 900;
const REASONS = ['it is meant', 'a blink or wink', 'covered later', 'too small to be seen'];

// act -> its words, and how it is begun where a press alone does not do it.
const ACTS = {
  pour: { words: 'Pour it right' }, wipe: { words: 'Take the paint away' }, weigh: { words: 'Bring to weight' },
  trace: { words: 'Redraw it here', way: 'redraw' }, close: { words: 'Shut it', way: 'close' }, shade: { words: 'Mend at Tone', way: 'atTone' },
  time: { words: 'Mend in the sheet', way: 'inSheet' }, look: { words: 'Look at it at Line', way: 'atLine' },
};

export class Cards {
  constructor(app, stage) {
    Object.assign(this, { app, stage, all: null, words: {}, fresh: true, looked: true, rule: '', waved: false, at: 0 });
    this.body = stage.body;
  }

  get list() { return (this.all ?? []).filter((f) => (this.waved || !f.waved) && (!this.rule || f.rule === this.rule)); }

  get now() { return this.list[this.at]; }

  // What was found last; if anything has changed since, the level is looked at anew.
  async load() {
    const { app } = this;
    try {
      const found = await get(`/api/levels/${app.level}/findings`);
      const before = this.now?.id;
      Object.assign(this, { all: found.findings, words: found.words, fresh: found.fresh, looked: found.looked });
      const own = this.list.findIndex((f) => f.id === before);
      this.at = own >= 0 ? own : Math.min(this.at, Math.max(0, this.list.length - 1));
      const link = document.querySelector('.track [data-stage="proof"]');
      link.classList.toggle('done', found.looked && !found.open);
      link.querySelector('.left').textContent = found.open ? `${found.open} found` : '';
      if (!found.fresh) this.look();
      this.stage.ledge();
      this.stage.axis.show();
    } catch (error) { notice(error.message, true); }
  }

  // Soon after a change, once for several.
  soon() {
    clearTimeout(this.timer);
    this.timer = setTimeout(() => this.load(), PAUSE);
  }

  async look() {
    const { app } = this;
    if (this.looking) return;
    this.looking = true;
    try {
      const { job } = await post(`/api/levels/${app.level}/proof`);
      if (!job) { this.looking = false; return; }
      app.jobs.watch({ id: job, kind: 'proof', state: 'waiting', done: 0, total: 1 },
        (ended) => { this.looking = false; if (ended.state === 'done') this.load(); else this.stage.ledge(); }, true);
      this.stage.ledge();
    } catch (error) { this.looking = false; notice(error.message, true); }
  }

  crop(entry, at, close = CLOSE) {
    const { width, height } = this.app.data.shot;
    const scale = at ? CROP[0] / (close * width) : Math.min(CROP[0] / width, CROP[1] / height);
    const [x, y] = at ?? [width / 2, height / 2];
    const url = this.app.colours.viewUrl(entry, 960, 'paint');
    const [left, top] = [CROP[0] / 2 - x * scale, CROP[1] / 2 - y * scale];
    const size = `${width * scale}px ${height * scale}px`;
    return `background-image:url('${url}');background-size:${size};background-position:${left}px ${top}px`;
  }

  counts() {
    const counts = {};
    for (const f of this.all ?? []) if (this.waved || !f.waved) counts[f.rule] = (counts[f.rule] ?? 0) + 1;
    return counts;
  }

  show(acts) {
    const counts = this.counts();
    const total = Object.values(counts).reduce((a, b) => a + b, 0);
    const { now } = this;
    const act = now && ACTS[now.act];
    const waved = (this.all ?? []).filter((f) => f.waved).length;
    fill(acts, html`<select id="proof-rule" aria-label="Which findings" autocomplete="off"><option
      value="">all ${total}</option>${Object.entries(counts)
        .map(([rule, n]) => html`<option value="${rule}" ${rule === this.rule ? 'selected' : ''}>${this.words[rule]} ${n}</option>`)}</select>
      ${waved ? html`<label><input id="proof-waved" type="checkbox" ${this.waved ? 'checked' : ''} autocomplete="off"> waved through ${waved}</label>` : ''}
      ${now ? html`<button id="proof-act">${act.words} <kbd>${shown(CARD.take)}</kbd></button>
      ${now.waved ? html`<button id="proof-ask">Ask again <kbd>${shown(CARD.none)}</kbd></button>`
        : html`<button id="proof-wave" title="It is as it is on purpose, and is not asked again">Wave through
          <kbd>${shown(CARD.none)}</kbd></button><select id="proof-reason" aria-label="Reason"
          autocomplete="off">${REASONS.map((reason) => html`<option>${reason}</option>`)}<option value="other">another reason …</option></select>`}
      <button id="proof-later">Later <kbd>${shown(CARD.later)}</kbd></button>` : ''}`);
    const on = (id, event, does) => acts.querySelector(`#${id}`)?.addEventListener(event, does);
    on('proof-rule', 'change', (event) => { this.rule = event.target.value; this.at = 0; this.stage.ledge(); this.stage.axis.show(); });
    on('proof-waved', 'change', (event) => { this.waved = event.target.checked; this.at = 0; this.stage.ledge(); this.stage.axis.show(); });
    on('proof-act', 'click', () => this.mend());
    on('proof-wave', 'click', () => this.wave());
    on('proof-ask', 'click', () => this.wave());
    on('proof-later', 'click', () => this.later());
    if (this.reason) { const select = acts.querySelector('#proof-reason'); if (select && REASONS.includes(this.reason)) select.value = this.reason; }
    this.cards();
  }

  cards() {
    const { list } = this;
    if (!this.all || (!this.looked && this.looking)) { fill(this.body, html`<p class="empty">Looking at the drawings …</p>`); return; }
    if (!list.length) { fill(this.body, html`<p
      class="empty">${this.looking ? 'Looking again …' : 'Nothing is wrong that can be told by looking. Play it once more, and hand it off.'}</p>`); return; }
    this.body.replaceChildren(...list.slice(0, SEEN).map((finding, k) => this.node(finding, k)));
    this.body.querySelector('[aria-current]')?.scrollIntoView({ block: 'nearest', inline: 'nearest' });
  }

  node(finding, k) {
    const { app } = this;
    const node = document.createElement('button');
    node.className = `unsure-card finding ${finding.waved ? 'waved' : ''}`;
    node.dataset.id = finding.id;
    if (k === this.at) node.setAttribute('aria-current', 'true');
    const [first] = finding.drawings;
    const entry = app.byId.get(first);
    const like = finding.like && app.byId.get(finding.like);
    const numbers = finding.drawings.map((id) => app.byId.get(id)?.number).filter(Boolean);
    const which = numbers.length > 2 ? `${numbers[0]} to ${numbers[numbers.length - 1]}` : numbers.join(', ');
    fill(node, html`<span class="pair">${entry ? html`<i class="${finding.at ? 'spot' : ''}" style="${this.crop(entry, finding.at)}"></i>` : ''}${like
      ? html`<i class="from" style="${this.crop(like, finding.there ?? finding.at)}"></i>` : ''}</span>
      <span class="words"><b>${this.words[finding.rule]}</b> <span
        class="number">${which}</span>${like ? html` <span class="quiet">beside ${like.number}</span>` : ''}</span>
      <span class="said">${finding.words}${finding.waved ? html` <em>${finding.waved.reason || 'waved through'}</em>` : ''}</span>`);
    node.addEventListener('click', () => { this.at = k; this.go(); });
    return node;
  }

  async go() {
    this.stage.ledge();
    const { now, app } = this;
    if (!now) return;
    await app.go(now.drawings[0]);
    if (now.at) app.table.lookAt(now.at[0], now.at[1], Math.max(1, app.table.view.zoom));
    this.stage.ring.show();
  }

  async mend() {
    const { now, app } = this;
    if (!now) { notice('There is nothing to mend'); return; }
    const { way } = ACTS[now.act];
    if (way) { await this[way](now); return; }
    try {
      for (const id of now.drawings) await this.done(app.byId.get(id), now);
      notice(`${ACTS[now.act].words}: done in ${now.drawings.length === 1 ? `drawing ${app.byId.get(now.drawings[0]).number}`
        : `${now.drawings.length} drawings`}`);
      this.all = this.all.filter((f) => f !== now);
      this.soon();
      await app.sync.refresh();
      await this.go();
    } catch (error) { notice(error.message, true); }
  }

  // ---- acts that a hand does, where the finding is seen as far as that can be

  async redraw(now) {
    await this.go();
    this.app.tools.borrow('r', true);
    notice(`Redraw the line in drawing ${this.app.byId.get(now.drawings[0]).number}; Esc gives the pen back`);
  }

  // The opening that is meant is shut; without one the leak is traced from there.
  async close(now) {
    const { app } = this;
    await this.go();
    const entry = app.byId.get(now.drawings[0]);
    const { stitches } = await line(entry);
    const far = ({ d }) => { const [x, y] = d.slice(1).split(/[ ,]/).map(Number); return Math.hypot(x - now.at[0], y - now.at[1]); };
    const [found] = stitches.filter((s) => s.state === 'open').sort((a, b) => far(a) - far(b));
    if (!found) { await app.stops.light('seal', { drawing: entry.id }); return; }
    try {
      await edit(entry, 'judge', { stitch: found.id, state: 'taken' });
      app.sync.changed(entry);
      notice(`The opening in drawing ${entry.number} is shut`);
      this.all = this.all.filter((f) => f !== now);
      this.soon();
      await app.sync.refresh();
      await this.go();
    } catch (error) { notice(error.message, true); }
  }

  atTone(now) { return this.app.stops.light('tone', { drawing: now.drawings[0] }); }

  atLine(now) { return this.app.stops.light('line', { drawing: now.drawings[0] }); }

  async inSheet() {
    await this.go();
    if (document.getElementById('sheet-wide').getAttribute('aria-pressed') !== 'true') document.getElementById('sheet-wide').click();
  }

  async done(entry, finding) {
    if (finding.act === 'weigh') {
      const { strokes } = await line(entry);
      await edit(entry, 'line', { do: { do: 'weigh', ids: strokes.map((s) => s.id), factor: finding.factor } });
    } else {
      await edit(entry, 'pour', { points: [finding.at], pot: finding.act === 'pour' ? finding.pot || null : null });
    }
    this.app.sync.changed(entry);
  }

  // On purpose, with a reason; or asked again.
  async wave() {
    const { now, app } = this;
    if (!now) { notice('There is nothing to wave through'); return; }
    let reason = null;
    if (!now.waved) {
      reason = document.getElementById('proof-reason')?.value ?? this.reason ?? REASONS[0];
      if (reason === 'other') reason = (window.prompt('Why it is as it is') ?? '').trim();
      if (!reason) return;
      this.reason = reason;
    }
    try {
      await change('stacks', app.data.shot.id, 'wave', { level: app.level, rule: now.rule, drawings: now.drawings, at: now.at, reason });
      await this.load();
      await app.sync.refresh();
      await this.go();
    } catch (error) { notice(error.message, true); }
  }

  later() {
    if (!this.list.length) return;
    this.at = (this.at + 1) % this.list.length;
    this.go();
  }

  key(key) {
    if (key === CARD.take) this.mend();
    else if (key === CARD.none) this.wave();
    else if (key === CARD.later) this.later();
    else return false;
    return true;
  }
}
