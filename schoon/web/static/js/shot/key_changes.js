// Colour keys over time: which one the level takes on from where on, at once or evenly.

import { fill, html } from '../dom.js';
import { notice } from '../api.js';
import { change } from '../edits/queue.js';

const $ = (id) => document.getElementById(id);

export class KeyChanges {
  constructor(app) {
    this.app = app;
    if (!$('key-changes')) return;
    app.on('drawn', () => this.show());
    app.on('colours', () => this.show());
  }

  show() {
    const { app } = this;
    if (!app.current) return;
    const { keys } = app.data;
    const name = (id) => keys.find((k) => k.id === id)?.name ?? 'a key that is gone';
    const { changes } = app.colours;
    const frame = app.data.spans.find(([, , d]) => d === app.current.id)?.[0] ?? 1;
    const listed = Object.entries(changes);
    fill($('key-changes'), html`<summary>Over time${listed.length ? html` <b>${listed.length}</b>` : ''}</summary>
      <ol>${listed.map(([at, { key, eased }]) => html`<li><span class="number">${at}</span> ${name(key)}${eased ? ', evenly' : ''}<button data-at="${at}"
        aria-label="Take the change at frame ${at} away">✕</button></li>`)}</ol>
      <p><select id="key-next" aria-label="Colour key from this drawing on"
        autocomplete="off">${keys.map((k) => html`<option value="${k.id}">${k.name}</option>`)}</select>
      <label><input id="key-eased" type="checkbox" autocomplete="off"> evenly up to here</label>
      <button id="key-here" ${frame > 1 ? '' : 'disabled'} title="The level takes this key on at frame ${frame}">From frame ${frame}</button></p>`);
    for (const button of $('key-changes').querySelectorAll('[data-at]')) button.addEventListener('click',
      () => this.set(Number(button.dataset.at), null, false));
    $('key-here').addEventListener('click', () => this.set(frame, Number($('key-next').value), $('key-eased').checked));
  }

  async set(frame, key, eased) {
    const { app } = this;
    try {
      const answer = await change('stacks', app.data.shot.id, 'key-from', { level: app.level, frame, key, eased });
      app.colours.level.key_changes = answer.levels[app.level].key_changes;
      app.colours.use(app.data.key);
      await app.table.draw();
      app.tell('run');
    } catch (error) { notice(error.message, true); }
  }
}
