// Notes of the shot in the dock: of the drawing that is looked at, of its frames, and of the whole shot.

import { fill, html } from '../dom.js';

const newName = () => Array.from(crypto.getRandomValues(new Uint8Array(5)), (b) => b.toString(16).padStart(2, '0')).join('');

export class Notes {
  constructor(app) {
    this.app = app;
    this.box = document.getElementById('notes');
    app.on('drawn', () => this.show());
    app.on('time', () => this.show());
    app.on('run', () => this.show());
    this.box.addEventListener('change', (event) => this.changed(event.target));
    this.box.addEventListener('click', (event) => { const { take } = event.target.dataset; if (take) this.time('unnote', { note: take }); });
    this.box.addEventListener('submit', (event) => { event.preventDefault(); this.add(event.target); });
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
    const open = list.filter(([, note]) => !note.done).length;
    // A note that is being written stays as it is.
    if (this.box.contains(document.activeElement) && document.activeElement.matches('input:not([type="checkbox"])')) return;
    const about = ({ drawing, first, last }) => (drawing ? '' : first ? `frames ${first} to ${last ?? first}` : 'whole shot');
    fill(this.box, html`<summary>Notes <span class="quiet">${open ? `${open} open` : list.length || ''}</span></summary>
      ${list.map(([name, note]) => html`<div class="note ${note.done ? 'done' : ''}"><input type="checkbox" data-done="${name}" ${note.done ? 'checked' : ''} aria-label="The note is done" title="Done" autocomplete="off">${note.picture ? html`<img src="/pictures/${note.picture}" alt="${note.words || 'cut from the rough'}">` : ''}
        <input data-note="${name}" value="${note.words}" maxlength="500" placeholder="words" aria-label="Words of the note" autocomplete="off">
        <span class="quiet">${[about(note), note.writer].filter(Boolean).join(', ')}</span><button data-take="${name}" aria-label="Take the note away">×</button></div>`)}
      <form class="note"><input name="words" maxlength="500" placeholder="a new note" aria-label="A new note" autocomplete="off">
        <select name="about" aria-label="What it is about"><option value="drawing">this drawing</option><option value="shot">whole shot</option></select><button>Keep</button></form>`);
  }

  changed(field) {
    if (field.dataset.done) { this.time('settle', { note: field.dataset.done, done: field.checked }); return; }
    if (field.dataset.note) this.time('reword', { note: field.dataset.note, words: field.value });
  }

  async add(form) {
    const words = form.words.value.trim();
    if (!words) return;
    const drawing = form.about.value === 'drawing' ? this.app.current.id : null;
    form.words.blur();
    await this.time('note', { notes: [{ name: newName(), drawing, words }] });
  }
}
