// Passes of the rough in the dock: which is drawn on, how each is seen, and which Line reads; and the pencil.

import { notice } from '../api.js';
import { edit } from '../edits/queue.js';
import { fill, html } from '../dom.js';
import { shown } from '../keys.js';
import { lineNow } from '../shot/drawings.js';

const $ = (id) => document.getElementById(id);
// Pencils of the house: colour -> what it is called.
const COLOURS = { '#3b4652': 'slate', '#a4512f': 'brick', '#2f6f9f': 'harbour', '#5c7a35': 'moss', '#7d4f8c': 'plum' };
const STATES = { full: 'full', faint: 'faint', hidden: 'hidden' };
const newId = () => Array.from(crypto.getRandomValues(new Uint8Array(5)), (b) => b.toString(16).padStart(2, '0')).join('');

export class Passes {
  constructor(app, stage) {
    Object.assign(this, { app, stage });
    // A part may have a pencil of its own: part -> colour.
    this.part = '';
    this.ofParts = {};
    try { this.ofParts = JSON.parse(localStorage.partPencils) ?? {}; } catch { /* a damaged note is forgotten */ }
    this.colour = localStorage.pencilColour ?? '#3b4652';
    this.width = Number(localStorage.pencilWidth) || 5;
    this.grain = Number(localStorage.pencilGrain ?? 0.6);
    // drawing -> the pass that is drawn on; the uppermost that is seen where nothing was chosen.
    this.chosen = new Map();
    // Passes the server does not know of yet: drawing -> { id, state, tiles }.
    this.begun = new Map();
    this.box = $('passes-box');
    this.box.hidden = false;
  }

  parts() { return [...new Set([...this.app.data.pots.map((pot) => pot.part).filter(Boolean), ...this.app.parts.names()])].sort((a, b) => a.localeCompare(b)); }

  sketch(line = lineNow(this.app.current)) { return line?.sketch ?? { base: 'full', passes: [], rubbed: {} }; }

  // The pass that is drawn on, of a drawing as the server gives it; null if there is none.
  of(entry, line) {
    const begun = this.begun.get(entry.id);
    if (begun) return begun;
    const { passes } = this.sketch(line);
    const seen = passes.filter((p) => p.state !== 'hidden');
    return seen.find((p) => p.id === this.chosen.get(entry.id)) ?? seen[seen.length - 1] ?? null;
  }

  show() {
    const { app } = this;
    const { base, passes } = this.sketch();
    const own = this.of(app.current, lineNow(app.current));
    const states = (id, now) => html`<select data-state="${id}" aria-label="How it is seen"
      autocomplete="off">${Object.entries(STATES).map(([v, words]) => html`<option value="${v}" ${v === now ? 'selected' : ''}>${words}</option>`)}</select>`;
    const known = Boolean(lineNow(app.current)?.rough) || base !== 'full';
    fill(this.box, html`<div class="dock-head"><h2>Passes</h2><button id="pass-new"
      title="A new pass; those below are seen faintly">New pass <kbd>${shown('shift+n')}</kbd></button></div>
      <ul class="passes">${[...passes].reverse()
        .map((p) => html`<li class="${p === own ? 'own' : ''}"><button data-pass="${p.id}" aria-pressed="${p === own}"
          title="Draw on this pass">${p.name}</button>${states(p.id, p.state)}
        <span class="pass-acts"><button data-hand="${p.id}" title="Line reads this pass alone">to Line</button><button data-merge="${p.id}"
          title="Laid into the pass below">merge</button><button data-drop="${p.id}" aria-label="Take ${p.name} off">×</button></span></li>`)}
      ${known ? html`<li><span class="name">taken in</span>${states('base', base)}<span></span></li>` : ''}</ul>
      <div class="dock-head"><h2>Pencil</h2></div>
      ${this.parts().length ? html`<label class="of-part">for <select id="pencil-part" aria-label="The part the pencil is for"
        title="A part remembers its own pencil" autocomplete="off"><option
          value="">everything</option>${this.parts()
            .map((part) => html`<option value="${part}" ${part === this.part ? 'selected' : ''}>${part}</option>`)}</select></label>` : ''}
      <div class="pencils" role="radiogroup" aria-label="Pencil">${Object.entries(COLOURS)
        .map(([c, words]) => html`<button data-colour="${c}" role="radio" aria-checked="${c === this.colour}" aria-label="${words}" title="${words}"><i
          style="background:${c}"></i></button>`)}<input id="pencil-colour" type="color" value="${this.colour}" aria-label="Another colour"
            title="Another colour" autocomplete="off"></div>
      <label class="slide">broad <input id="pencil-width" type="range" min="1" max="40" step="0.5" value="${this.width}" autocomplete="off"></label>
      <label class="slide">grain <input id="pencil-grain" type="range" min="0" max="0.95" step="0.05" value="${this.grain}" autocomplete="off"></label>`);
    this.wire();
  }

  wire() {
    const { app, box } = this;
    const each = (what, act) => { for (const node of box.querySelectorAll(`[data-${what}]`)) node.addEventListener('click', () => act(node.dataset[what])); };
    $('pass-new').addEventListener('click', () => this.begin());
    each('pass', (id) => { this.chosen.set(app.current.id, id); app.table.draw(); });
    each('hand', (id) => this.act('pass-hand', { id }, 'Line reads this pass from now on'));
    each('merge', (id) => this.act('pass-merge', { id }));
    each('drop', (id) => this.act('pass-drop', { id }));
    each('colour', (colour) => this.use({ colour }));
    for (const node of box.querySelectorAll('[data-state]')) node.addEventListener('change',
      () => this.act('pass-set', { id: node.dataset.state, state: node.value }));
    $('pencil-part')?.addEventListener('change', ({ target }) => {
      this.part = target.value;
      this.use({ colour: this.part ? this.ofParts[this.part] ?? this.colour : localStorage.pencilColour ?? this.colour });
    });
    $('pencil-colour').addEventListener('change', ({ target }) => this.use({ colour: target.value }));
    $('pencil-width').addEventListener('input', ({ target }) => this.use({ width: Number(target.value) }, false));
    $('pencil-grain').addEventListener('input', ({ target }) => this.use({ grain: Number(target.value) }, false));
  }

  use(what, show = true) {
    Object.assign(this, what);
    if (this.part) {
      this.ofParts[this.part] = this.colour;
      localStorage.partPencils = JSON.stringify(this.ofParts);
    } else localStorage.pencilColour = this.colour;
    localStorage.pencilWidth = this.width;
    localStorage.pencilGrain = this.grain;
    this.stage.pencil = null;
    if (show) this.show();
  }

  // A pass to draw on, without waiting for the server. Resolves to nothing; gives its id.
  begin() {
    const { app } = this;
    const entry = app.current;
    const id = newId();
    this.chosen.set(entry.id, id);
    this.begun.set(entry.id, { id, state: 'full', tiles: {} });
    this.stage.board.begin(entry, id);
    this.stage.board.pending += 1;
    edit(entry, 'pass', { id })
      .then(() => { this.stage.board.known = entry.revision; app.sync.changed(entry); })
      .catch((error) => { notice(error.message, true); this.stage.board.on = ''; })
      .finally(() => { this.begun.delete(entry.id); this.stage.board.pending -= 1; if (entry === app.current) app.table.draw(); });
    return id;
  }

  async act(what, fields, words = '') {
    const { app } = this;
    const entry = app.current;
    await this.stage.board.settled();
    try {
      await edit(entry, what, fields);
      this.stage.board.on = '';
      app.sync.changed(entry);
      if (words) notice(words);
      if (entry === app.current) await app.table.draw();
    } catch (error) { notice(error.message, true); }
  }
}

export { newId };
