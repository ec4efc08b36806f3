// Two alternatives side by side, in step: how the level stands now, and how it stood at a moment that was kept by name, or
// another level in its place. One of them is kept.

import { fill, html } from '../dom.js';
import { get, notice, post } from '../api.js';

const $ = (id) => document.getElementById(id);

export class Alternatives {
  constructor(app, player) {
    Object.assign(this, { app, player, now: null });
    $('play-beside').addEventListener('change', ({ target }) => this.use(target.value));
    this.box = $('alternatives');
  }

  // What there is to choose from.
  async offer() {
    const { app } = this;
    let kept = [];
    try { kept = (await get(`/api/shots/${app.data.shot.id}/history`)).entries.filter((e) => e.kept); } catch (error) { notice(error.message, true); }
    this.names = new Map(kept.map((e) => [`moment ${e.id}`, e.kept]));
    const levels = app.levels.all.filter((l) => l.id !== app.level && l.kind === 'drawings');
    for (const level of levels) this.names.set(`level ${level.id}`, level.name);
    const group = (words, of) => (of.length ? html`<optgroup
      label="${words}">${of.map((id) => html`<option value="${id}">${this.names.get(id)}</option>`)}</optgroup>` : '');
    const ids = [...this.names.keys()];
    fill($('play-beside'), html`<option value="">nothing</option>${group('as it was kept',
      ids.filter((id) => id.startsWith('m')))}${group('another level in its place', ids.filter((id) => id.startsWith('l')))}`);
    $('play-beside').value = this.now?.id ?? '';
    if (!ids.length) $('play-beside').title = 'Keep a moment by name in the history, or copy the level, and it can be played beside how it stands now';
  }

  async use(id) {
    const { app, player } = this;
    const [what, of] = id.split(' ');
    this.now = null;
    try {
      if (what === 'moment') this.now = { id, moment: Number(of), ...await get(`/api/shots/${app.data.shot.id}/moments/${of}?level=${app.level}`) };
      if (what === 'level') this.now = { id, level: Number(of) };
    } catch (error) { notice(error.message, true); }
    $('play-beside').value = this.now ? id : '';
    if (player.on) { player.stop(); await player.toggle(); }
  }

  // The levels of a side, rear to front, and how the own one is seen there.
  side(k, stack) {
    const { app, now } = this;
    const other = now.level && app.levels.all.find((l) => l.id === now.level);
    if (!other) return stack;
    const place = (level) => (k && level.id === app.level ? other : level);
    return stack.filter((l) => l !== other).map(place);
  }

  // The drawing that a frame shows at the moment, and its revision.
  then(frame) {
    const drawing = this.now.spans.find(([first, count]) => frame >= first && frame < first + count)?.[2];
    return drawing ? { drawing, revision: this.now.revisions[drawing] ?? 0 } : null;
  }

  // Their names at the feet of their pictures; boxes: left, foot, width px of the table.
  show(boxes) {
    this.box.hidden = !this.now || boxes.length < 2;
    if (this.box.hidden) { this.box.replaceChildren(); return; }
    const [first, last] = this.player.frames;
    const words = [this.now.level ? this.app.data.shot.level : 'as it stands now', this.names.get(this.now.id)];
    fill(this.box, html`${boxes.map(({ left, foot, width }, k) => html`<div style="left:${left}px;top:${foot}px;width:${width}px"><b>${words[k]}</b><button
      data-keep="${k}" title="${this.now.level ? 'The other level is put aside'
        : `In frames ${first} to ${last}; it can be undone`}">Keep this one</button></div>`)}`);
    for (const node of this.box.querySelectorAll('[data-keep]')) node.addEventListener('click', () => this.keep(Number(node.dataset.keep)));
  }

  async keep(k) {
    const { app, now, player } = this;
    const [first, last] = player.frames;
    player.stop();
    this.use('');
    try {
      if (now.level) { await app.levels.putAside(app.levels.all.find((l) => l.id === (k ? app.level : now.level)), true); return; }
      if (!k) { notice('It stays as it stands now; the other one is still kept by its name'); return; }
      const found = await post(`/api/shots/${app.data.shot.id}/back`, { action: now.moment, span: { level: app.level, first, last } });
      app.sync.undoes(found.drawings.length ? 'drawings' : 'times');
      await app.sync.refresh();
      await app.table.draw();
      notice(`Frames ${first} to ${last} stand as they were kept: ${found.drawings.length} drawing${found.drawings.length === 1 ? '' : 's'} went back`);
    } catch (error) { notice(error.message, true); }
  }
}
