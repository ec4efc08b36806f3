// The finish of the level: an ordered list; each entry with its range, a switch, and what it touches.

import { fill, html, settled, waits } from '../dom.js';
import { get, notice, post } from '../api.js';
import { change, waiting } from '../edits/queue.js';
import { newId } from '../pure/ids.js';
import { Fields } from './finish_fields.js';
import { Handles } from './handles.js';
import { KINDS, TREATMENTS, WHERE } from './finish_kinds.js';

export class Finish {
  constructor(app, stage) {
    Object.assign(this, { app, stage, chosen: null, recipes: null });
    this.fields = new Fields(app, stage, (entry, changes, what) => this.set(entry, changes, what));
    this.handles = new Handles(app, this);
  }

  // The entry that is chosen, as it stands in the list.
  get now() { return this.list.find((e) => e.id === this.chosen) ?? this.list[0]; }

  get list() { return this.app.levels.mine?.finish ?? []; }

  // What an entry touches, in words; parts and pots that the model has no more are said to be gone.
  touches(entry) {
    const { pots } = this.app.data;
    const known = this.fields.parts;
    const named = (parts) => parts.map((part) => (known.includes(part) ? part.toLowerCase() : `${part.toLowerCase()} (gone)`)).join(', ');
    const parts = entry.parts?.length ? named(entry.parts) : 'everything';
    const potted = (ids) => ids.map((id) => pots.find((p) => p.id === id)?.name.toLowerCase() ?? 'a pot that is gone').join(', ') || 'no pot yet';
    const surface = () => (entry.own ? 'a picture of your own' : entry.picture);
    const said = {
      'line-colour': () => `${WHERE[entry.where]}${entry.parts.length ? ` of ${parts}` : ''}`,
      'line-weight': () => `${WHERE[entry.where]}, times ${entry.factor}`,
      'line-body': () => `${{ lead: 'soft lead', dry: 'dry brush', felt: 'felt pen' }[entry.tool]}${entry.parts.length ? ` on ${parts}` : ''}`,
      cast: () => `by ${parts}`,
      contact: () => `${parts} onto ${entry.onto.length ? named(entry.onto) : 'what is below'}`,
      wash: () => parts,
      texture: () => `${surface()} on ${parts}${entry.where === 'shade' ? ', in the shade' : ''}`,
      paper: () => `${surface()} over the frame`,
      flare: () => (entry.pot ? `about ${potted([entry.pot])}` : `at ${entry.x}, ${entry.y}`),
      glass: () => `${potted(entry.pots)}${entry.kept.length ? `, ${potted(entry.kept)} readable` : ''}`,
      highlight: () => potted(entry.pots),
      hide: () => `${entry.outside ? 'all but ' : ''}${entry.ring ? 'what is drawn round'
        : `${Math.abs(entry.x1 - entry.x0)} × ${Math.abs(entry.y1 - entry.y0)} px`}${entry.parts.length ? ` of ${parts}` : ''}`,
      treatment: () => TREATMENTS[entry.what],
    };
    return said[entry.kind]();
  }

  // One entry at a time is changed, so that another hand on the list, or a quick one, loses nothing. seen: the list as it
  // will be, which is shown at once; what changed is said in the history.
  async send(how, fields, seen, what) {
    const { app } = this;
    app.levels.mine.finish = seen;
    this.stage.ledge();
    try {
      const answer = await change('stacks', app.data.shot.id, how, { level: app.level, ...fields, what });
      if (waiting(`stacks/${app.data.shot.id}`).length) return;
      if (answer.again) await app.sync.refresh(); else app.levels.mine.finish = answer.levels[app.level].finish;
      app.colours.use(app.data.key);
      app.table.draw();
    } catch (error) { notice(error.message, true); await app.sync.refresh(); }
    this.stage.ledge();
  }

  // changes: fields of an entry; of its notches those of the named frames, null for none.
  set(entry, changes, what) {
    const notches = changes.notches && Object.fromEntries(Object.entries({ ...entry.notches, ...changes.notches }).filter(([, values]) => values));
    const after = { ...entry, ...changes, ...(notches ? { notches } : {}) };
    return this.send('finish-set', { entry: entry.id, fields: changes }, this.list.map((e) => (e.id === entry.id ? after : e)), what);
  }

  lay(entries, what) { return this.send('finish-add', { add: entries }, [...this.list, ...entries], what); }

  takeOut(entry, what) { return this.send('finish-out', { entry: entry.id }, this.list.filter((e) => e.id !== entry.id), what); }

  add(kind) {
    const [w, h] = this.app.table.view.size;
    const box = this.app.current.box ?? [0, 0, w, h];
    const [cx, cy] = [Math.round((box[0] + box[2]) / 2), Math.round((box[1] + box[3]) / 2)];
    const places = { wash: { x0: cx, y0: Math.round(box[3]), x1: cx, y1: Math.round(box[1]) }, flare: { x: cx, y: cy },
      contact: { parts: this.fields.parts.slice(0, 1) } };
    const entry = { id: newId(), kind, on: true, first: null, last: null, notches: {}, ...KINDS[kind].plain, ...places[kind] };
    this.chosen = entry.id;
    const keep = (made) => this.lay([made], `add ${KINDS[kind].words.toLowerCase()}`);
    // An area is drawn on the paper before it is an entry.
    if (kind === 'hide') this.app.table.pickRing((ring) => keep({ ...entry, ring }));
    else keep(entry);
  }

  move(entry, by) {
    const list = this.list.slice();
    const k = list.findIndex((e) => e.id === entry.id);
    if (k + by < 0 || k + by >= list.length) return;
    [list[k], list[k + by]] = [list[k + by], list[k]];
    this.send('finish-move', { entry: entry.id, before: list[k + by + 1]?.id ?? null }, list, 'order the finish');
  }

  // Another drawing is on the table: numbers that change over time are shown as they are there.
  moved() {
    const { current } = this.app;
    if (this.seen === current) return;
    this.seen = current;
    if (this.list.some((e) => Object.keys(e.notches).length)) this.stage.ledge();
  }

  // ---- recipes: whole lists under a name, for every shot of the production

  get recipesUrl() { return `/api/shots/${this.app.data.shot.id}/recipes`; }

  async load() {
    this.recipes = [];
    try { this.recipes = (await get(this.recipesUrl)).recipes; } catch (error) { notice(error.message, true); }
    if (this.stage.view === 'finish') this.stage.ledge();
  }

  async recipe(value) {
    const found = this.recipes.find((r) => value.endsWith(`-${r.id}`));
    try {
      if (value === 'keep') {
        if (!this.list.length) { notice('Add something to the finish first; then it can be kept as a recipe'); return; }
        const name = window.prompt('Name of the recipe');
        if (!name?.trim()) return;
        this.recipes = (await post(this.recipesUrl, { name, entries: this.list })).recipes;
        notice(`Kept as “${name.trim()}” for every shot of this production`);
      } else if (value.startsWith('lay')) {
        await this.lay(found.entries.map((e) => ({ ...e, id: newId() })), `lay the recipe ${found.name}`);
      } else {
        this.recipes = (await post(`${this.recipesUrl}/${found.id}/drop`)).recipes;
        notice(`“${found.name}” is forgotten; what was made by it stays`);
      }
    } catch (error) { notice(error.message, true); }
    this.stage.ledge();
  }

  show(acts) {
    if (!this.recipes) this.load();
    const { body } = this.stage;
    const { list } = this;
    const { frames } = this.app.data.shot;
    fill(acts, html`<select id="finish-add" aria-label="Add to the finish"><option
      value="">Add …</option>${Object.entries(KINDS).map(([kind, { words }]) => html`<option value="${kind}">${words}</option>`)}</select>
      <select id="finish-recipe" aria-label="Recipes"><option value="">Recipes …</option><option
        value="keep">keep this list …</option>${(this.recipes ?? [])
          .map((r) => html`<option value="lay-${r.id}">lay “${r.name}” on</option>`)}${(this.recipes ?? [])
            .map((r) => html`<option value="drop-${r.id}">forget “${r.name}”</option>`)}</select>`);
    acts.querySelector('#finish-add').addEventListener('change', (event) => { if (event.target.value) this.add(event.target.value); });
    acts.querySelector('#finish-recipe').addEventListener('change', (event) => { if (event.target.value) this.recipe(event.target.value); });
    if (waits(body, () => this.stage.ledge())) return;
    const chosen = this.now;
    const bar = (e) => `left: ${(100 * ((e.first ?? 1) - 1)) / frames}%; right: ${100 - (100 * Math.min(e.last ?? frames, frames)) / frames}%`;
    const notch = (f) => html`<b style="left: ${(100 * (f - 0.5)) / frames}%"></b>`;
    const held = body.contains(document.activeElement) && document.activeElement.name;
    this.fields.busy = true;
    fill(body, html`<div class="finish"><ol class="finish-list"
      aria-label="Finish, in order">${list.map((e, k) => html`<li data-id="${e.id}" class="${e === chosen ? 'chosen' : ''} ${e.on ? '' : 'off'}">
        <input type="checkbox" ${e.on ? 'checked' : ''} aria-label="${KINDS[e.kind].words} is on" autocomplete="off"><button
          class="pick">${KINDS[e.kind].words}</button><span class="quiet">${this.touches(e)}</span>
        <span class="range" title="frames ${e.first ?? 1} to ${e.last ?? frames}"><i style="${bar(e)}"></i>${Object.keys(e.notches).map(notch)}</span>
        <button class="up" aria-label="Earlier" ${k ? '' : 'disabled'}>↑</button><button class="down" aria-label="Later"
          ${k < list.length - 1 ? '' : 'disabled'}>↓</button><button class="out" aria-label="Take ${KINDS[e.kind].words} out">✕</button></li>`)}
      ${list.length ? '' : html`<li class="quiet">Nothing yet. Lines can take the colour of their pot, the figure can
        cast a shadow, a wash or a texture can lie on its parts.</li>`}</ol>
      ${chosen ? html`<form class="finish-fields" autocomplete="off">${this.fields.markup(chosen)}</form>` : ''}</div>`);
    this.fields.busy = false;
    const again = held && body.querySelector(`.finish-fields [name="${CSS.escape(held)}"]`);
    if (again) { again.focus(); settled(again); }
    for (const row of body.querySelectorAll('.finish-list li[data-id]')) this.wireRow(row, list.find((e) => e.id === row.dataset.id));
    if (chosen) this.fields.wire(body.querySelector('.finish-fields'), chosen);
    this.handles.show();
  }

  wireRow(row, entry) {
    const words = KINDS[entry.kind].words.toLowerCase();
    row.querySelector('input').addEventListener('change',
      (event) => this.set(entry, { on: event.target.checked }, `${event.target.checked ? 'switch on' : 'switch off'} ${words}`));
    row.querySelector('.pick').addEventListener('click', () => { this.chosen = entry.id; this.stage.ledge(); });
    row.querySelector('.up').addEventListener('click', () => this.move(entry, -1));
    row.querySelector('.down').addEventListener('click', () => this.move(entry, 1));
    row.querySelector('.out').addEventListener('click', () => this.takeOut(entry, `take ${words} out`));
  }
}
