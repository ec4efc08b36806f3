// Parts of the model in the dock: which are seen, which alone, which are locked. Kept per shot in this browser.

import { fill, html } from '../dom.js';
import { lineNow } from './drawings.js';
import { general } from './signs.js';
import { shown, writeLabel } from './label.js';

const SIGNS = { hide: 'eye', show: 'eye-slash', alone: 'bullseye', lock: 'unlock', unlock: 'lock' };

export class Parts {
  constructor(app) {
    this.app = app;
    this.box = document.getElementById('parts');
    this.store = `schoon-parts-${app.data.shot.id}`;
    let kept = {};
    try { kept = JSON.parse(localStorage.getItem(this.store)) || {}; } catch { /* a damaged note is forgotten */ }
    this.hidden = new Set(kept.hidden);
    this.locked = new Set(kept.locked);
    this.solo = kept.solo || null;
  }

  names() {
    const found = new Set(this.app.data.run.flatMap((d) => d.parts));
    for (const s of lineNow(this.app.current)?.strokes || []) if (s.part) found.add(s.part);
    return [...found].sort((a, b) => a.localeCompare(b));
  }

  seen(part) { return this.solo ? part === this.solo : !this.hidden.has(part); }

  // Why a part cannot be drawn on, in a word, or ''.
  closed(part) { return !this.seen(part) ? 'hidden' : this.locked.has(part) ? 'locked' : ''; }

  notOpen() { return [...this.names(), ''].filter((name) => this.closed(name)); }

  change(act) {
    act();
    localStorage.setItem(this.store, JSON.stringify({ hidden: [...this.hidden], locked: [...this.locked], solo: this.solo }));
    this.show();
    this.app.table.draw();
  }

  show() {
    if (!this.box) return;
    const names = this.names();
    const strokes = lineNow(this.app.current)?.strokes || [];
    const labels = this.app.levels.mine.part_labels;
    const count = (name) => strokes.filter((s) => s.part === name).length;
    this.box.replaceChildren(...[...names, ''].map((name) => {
      const item = document.createElement('li');
      item.classList.toggle('off', !this.seen(name));
      const written = labels[name];
      const label = name || (names.length ? 'no part' : 'all lines');
      fill(item, html`<button class="name"></button>${name
        ? html`<button class="tag" aria-label="Label of ${name}" title="A word of your own on this part">${written ? shown(written) : '+'}</button>`
          : html`<span></span>`}<span class="count"></span><button data-do="see"></button><button data-do="solo"></button><button data-do="lock"></button>`);
      item.querySelector('.name').textContent = label;
      item.querySelector('.name').title = `Choose the lines of ${label}`;
      item.querySelector('.name').addEventListener('click', () => this.app.stage.choosePart(name));
      item.querySelector('.tag')?.addEventListener('click', ({ currentTarget }) => writeLabel(currentTarget, {
        now: written, about: name, after: () => this.show(),
        keep: (to) => this.app.levels.stack('label-part', { level: this.app.level, part: name, written: to }),
      }));
      item.querySelector('.count').textContent = count(name) || '–';
      const set = (what, words, on, act) => {
        const button = item.querySelector(`[data-do="${what}"]`);
        fill(button, general(SIGNS[words]));
        button.title = words;
        button.setAttribute('aria-pressed', String(on));
        button.setAttribute('aria-label', `${words} ${label}`);
        button.addEventListener('click', () => this.change(act));
      };
      const flip = (kept) => { if (!kept.delete(name)) kept.add(name); };
      set('see', this.hidden.has(name) ? 'show' : 'hide', this.hidden.has(name), () => flip(this.hidden));
      set('solo', 'alone', this.solo === name && name !== '', () => { this.solo = this.solo === name ? null : name; });
      set('lock', this.locked.has(name) ? 'unlock' : 'lock', this.locked.has(name), () => flip(this.locked));
      if (!name) item.querySelector('[data-do="solo"]').hidden = true;
      return item;
    }));
  }
}
