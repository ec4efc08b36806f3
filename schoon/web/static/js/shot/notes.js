// Notes of the shot in the dock, and drawn on the paper: of the drawing that is looked at, of its frames, and of the whole shot.

import { fill, html } from '../dom.js';
import { notice } from '../api.js';
import { make } from './paper.js';
import { trailDrag } from './pen.js';

const newName = () => Array.from(crypto.getRandomValues(new Uint8Array(5)), (b) => b.toString(16).padStart(2, '0')).join('');

export class Notes {
  constructor(app) {
    this.app = app;
    this.box = document.getElementById('notes');
    // What is drawn for the note that is being written: nodes and their points.
    this.ways = [];
    app.on('leave', () => { if (this.drawing) this.draw(false); });
    app.on('drawn', () => this.show());
    app.on('time', () => this.show());
    app.on('run', () => this.show());
    this.box.addEventListener('change', (event) => this.changed(event.target));
    this.box.addEventListener('click', (event) => { const { take, draw } = event.target.dataset; if (take) this.time('unnote', { note: take });
      if (draw !== undefined) this.draw(!this.drawing); });
    this.box.addEventListener('submit', (event) => { event.preventDefault(); this.add(event.target); });
  }

  // While it is on, the pen draws on the paper what the note is about.
  draw(on) {
    const { app } = this;
    for (const { node } of this.ways) node.remove();
    this.ways = [];
    this.drawing = on;
    app.tools.over = on ? (event, at) => this.way(at) : null;
    app.tools.says(on ? 'draw on the paper, then keep the note' : '');
    if (!on) app.tools.status();
    this.box.querySelector('[data-draw]')?.setAttribute('aria-pressed', String(on));
  }

  way(at) {
    const { app } = this;
    const node = make('path', { class: 'way' }, app.table.paper.layers.noted);
    const own = { node, path: [] };
    return trailDrag(app, at, node, 2, false, (path) => { if (path.length > 1) this.ways.push({ ...own, path }); else node.remove(); });
  }

  // What notes of the drawing on the table say by drawing; those that are done are pale.
  onPaper() {
    const { noted } = this.app.table.paper.layers;
    const kept = this.here().filter(([, note]) => note.drawn?.length);
    noted.replaceChildren(...kept.flatMap(([name, note]) =>
      note.drawn.map((way) => make('path', { 'data-note': name, class: `way ${note.done ? 'done' : ''}`, d: `M${way.join(' ')}` }))),
        ...this.ways.map(({ node }) => node));
  }

  time(what, fields) { return this.app.sync.time(what, fields); }

  // Those of this drawing, of frames in which it is seen, of the whole shot.
  here() {
    const { app } = this;
    const spans = app.data.spans.filter(([, , id]) => id === app.current?.id).map(([first, count]) => [first, first + count - 1]);
    const seen = ({ first, last }) => spans.some(([a, b]) => first <= b && (last ?? first) >= a);
    return Object.entries(app.data.notes).filter(([, n]) => (n.drawing ? n.drawing === app.current?.id : !n.first || seen(n)));
  }

  show() {
    const list = this.here();
    this.onPaper();
    const open = list.filter(([, note]) => !note.done).length;
    // A note that is being written stays as it is.
    if (this.box.contains(document.activeElement) && document.activeElement.matches('input:not([type="checkbox"])')) return;
    const about = ({ drawing, first, last }) => (drawing ? '' : first ? `frames ${first} to ${last ?? first}` : 'whole shot');
    fill(this.box, html`<summary>Notes <span class="quiet">${open ? `${open} open` : list.length || ''}</span></summary>
      ${list.map(([name, note]) => html`<div class="note ${note.done ? 'done' : ''}"><input type="checkbox" data-done="${name}"
        ${note.done ? 'checked' : ''} aria-label="The note is done" title="Done"
          autocomplete="off">${note.picture ? html`<img src="/pictures/${note.picture}" alt="${note.words || 'cut from the rough'}">` : ''}
        <input data-note="${name}" value="${note.words}" maxlength="500" placeholder="words" aria-label="Words of the note" autocomplete="off">
        <span class="quiet">${[about(note), note.writer].filter(Boolean).join(', ')}</span><button data-take="${name}"
          aria-label="Take the note away">×</button></div>`)}
      <form class="note"><input name="words" maxlength="500" placeholder="a new note" aria-label="A new note" autocomplete="off">
        <select name="about" aria-label="What it is about"><option value="drawing">this drawing</option><option
          value="shot">whole shot</option></select><span><button type="button" data-draw aria-pressed="${Boolean(this.drawing)}"
            title="The pen draws the note on the paper">Draw</button> <button>Keep</button></span></form>`);
  }

  changed(field) {
    if (field.dataset.done) { this.time('settle', { note: field.dataset.done, done: field.checked }); return; }
    if (field.dataset.note) this.time('reword', { note: field.dataset.note, words: field.value });
  }

  async add(form) {
    const words = form.words.value.trim();
    const drawn = this.ways.map(({ path }) => path.flat());
    if (!words && !drawn.length) { notice('A note needs words, or something drawn on the paper'); return; }
    const drawing = drawn.length || form.about.value === 'drawing' ? this.app.current.id : null;
    form.words.blur();
    form.words.value = '';
    await this.time('note', { notes: [{ name: newName(), drawing, words, drawn }] });
    this.draw(false);
    this.show();
  }
}
