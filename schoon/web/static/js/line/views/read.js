// How the roughs are read, tried on one drawing before the run.

import { fill, html } from '../../dom.js';
import { get, notice, post } from '../../api.js';
import { lineNow } from '../../shot/drawings.js';
import { change } from '../change.js';
import { View } from './view.js';

const LOOKS = [['', 'by itself'], [0, 'tied down'], [0.35, 'rough'], [0.65, 'loose'], [1, 'very loose']];
const SLIDERS = { detail: 'small detail', follow: 'follow closely' };
const INKS = [['strokes', 'strokes'], ['own', 'as drawn'], ['tinted', 'as drawn, in the ink of the key']];
const BLACKS = [['found', 'if inked'], ['filled', 'filled'], ['outline', 'outlined']];
// Kinds of marks that are no lines, in the order of the chips.
const KINDS = { construction: 'construction', hatching: 'hatching', note: 'notes', dirt: 'dirt and edges' };
// Degrees of hue within which two drawings have the same pencil.
const SAME_HUE = 32;

export class ReadView extends View {
  get reading() { return this.ledge.reading; }

  show() {
    const { app, ledge } = this;
    const fresh = !this.body.querySelector('.reading');
    if (fresh) this.build();
    if (this.chipsOf !== app.current.id || fresh) { this.found = []; this.said = []; this.chips(); this.marks(); }
    // What was said is undone and done again like any edit.
    else if (this.marksOf !== app.current.revision) this.marks();
    else this.tint();
    ledge.button('Try on this drawing', () => this.tryIt(), false, 'try-reading');
    ledge.button('Clean this', () => ledge.clean([app.current.id]), false, 'clean-this');
    const all = app.meant().map((d) => d.id);
    ledge.button(`Clean ${app.chosen.size > 1 ? `${all.length} chosen` : `all ${all.length}`}`, () => ledge.clean(all), true, 'clean-all');
  }

  build() {
    const { body, reading } = this;
    const looks = LOOKS.map(([value, words]) => html`<option value="${value}">${words}</option>`);
    const sliders = Object.entries(SLIDERS).map(([name, words]) => html`<label>${words} <input name="${name}" type="range" min="0" max="1"
      step="0.1"></label>`);
    fill(body, html`<div class="read-roughs"><form class="reading"><label>how searching <select
      name="searching">${looks}</select></label>${sliders}<label>blacks <select
        name="blacks">${BLACKS.map(([value, words]) => html`<option value="${value}">${words}</option>`)}</select></label><label
          title="Clean line art can keep the line it was drawn with; strokes are read from it all the same">lines are seen <select
            name="ink">${INKS.map(([value, words]) => html`<option value="${value}">${words}</option>`)}</select></label></form>
      <div class="pencils"><b>Coloured pencils</b><div id="chips"><span class="quiet">Looking …</span></div>
        <p class="quiet">An ignored colour leaves no trace and cuts nothing.</p></div>
      <div class="pencils"><b>Marks that are no lines</b><div id="kinds"></div>
        <p class="quiet">Tinted on the paper, left out of the lines. Where they are taken wrongly, scribble over them with <i>This is</i> (R).</p></div>
      <div class="pencils"><b>What teaches the run</b><div id="taught"></div></div>
      <p class="tried" id="tried">Try the settings on this drawing before the run; nothing is changed by it.</p></div>`);
    const form = body.querySelector('form');
    form.searching.value = reading.searching ?? '';
    for (const name of [...Object.keys(SLIDERS), 'blacks', 'ink']) form[name].value = reading[name];
    form.addEventListener('input', () => {
      reading.searching = form.searching.value === '' ? null : Number(form.searching.value);
      for (const name of Object.keys(SLIDERS)) reading[name] = Number(form[name].value);
      reading.blacks = form.blacks.value;
      reading.ink = form.ink.value;
    });
    form.addEventListener('change', () => this.marks());
    form.addEventListener('submit', (event) => event.preventDefault());
  }

  async chips() {
    const { app } = this;
    this.chipsOf = app.current.id;
    const box = document.getElementById('chips');
    try {
      const { pencils } = await get(`/api/drawings/${app.current.id}/pencils`);
      if (this.chipsOf !== app.current.id || !box.isConnected) return;
      if (pencils.length) box.replaceChildren(...pencils.map((pencil) => this.chip(pencil)));
      else fill(box, html`<span class="quiet">None; all is one neutral pencil.</span>`);
    } catch (error) { box.textContent = error.message; }
  }

  chip(pencil) {
    const { reading } = this;
    const known = reading.pencils.find((p) => Math.abs(((p.hue - pencil.hue + 540) % 360) - 180) < SAME_HUE);
    const role = known?.role || pencil.role;
    const names = new Set(this.app.parts.names());
    if (role.startsWith('part:')) names.add(role.slice(5));
    const chip = document.createElement('label');
    chip.className = 'chip';
    fill(chip, html`<span class="swatch" style="background: ${pencil.colour}"></span><span>${pencil.name} <i
      class="quiet">${Math.round(pencil.share * 100)} %</i></span>
      <select aria-label="The ${pencil.name} pencil"><option value="ignore">ignore</option><option value="use">use</option>
      ${[...names].map((name) => html`<option value="part:${name}">is the part ${name}</option>`)}<option value="new">is a new part …</option></select>`);
    const select = chip.querySelector('select');
    select.value = role;
    select.addEventListener('change', () => {
      let { value } = select;
      if (value === 'new') {
        const name = (window.prompt('Name of the part drawn with this pencil') || '').trim();
        if (!name) { select.value = role; return; }
        value = `part:${name.slice(0, 60)}`;
      }
      reading.pencils = reading.pencils.filter((p) => p !== known);
      reading.pencils.push({ hue: pencil.hue, role: value });
      this.chips();
      this.marks();
    });
    return chip;
  }

  // Reads the rough to its end: what was found beside lines gets a chip, and a tint on the paper.
  async marks() {
    const { app, reading } = this;
    const entry = app.current;
    this.marksOf = entry.revision;
    const box = document.getElementById('kinds');
    fill(box, html`<span class="quiet">Reading …</span>`);
    try {
      const { marks, said } = await post(`/api/drawings/${entry.id}/marks`, { ...reading, keep: [] });
      if (entry !== app.current || !box.isConnected) return;
      this.found = marks;
      this.said = said;
      this.taught();
      if (marks.length) box.replaceChildren(...marks.map((mark) => this.kindChip(mark)));
      else fill(box, html`<span class="quiet">None; all that is drawn is line.</span>`);
      this.tint();
    } catch (error) { box.textContent = error.message; }
  }

  tint() {
    const { paper } = this.app.table;
    paper.marks(this.found.filter(({ kind }) => !this.reading.keep.includes(kind)));
    paper.said(this.said || []);
  }

  // Scribbles on this drawing, and drawings whose finished lines say what in the others is line.
  taught() {
    const { app, reading } = this;
    const box = document.getElementById('taught');
    const entry = app.current;
    const numbers = new Map(app.data.run.map((d) => [d.id, d.number]));
    const teachers = reading.taught_by.filter((id) => numbers.has(id));
    const count = (this.said || []).length;
    fill(box, html`<p class="quiet">${count ? `${count} scribble${count > 1 ? 's' : ''} on this drawing` : 'No scribble on this drawing'}
      ${count ? html`<button id="unsay">take off</button>` : ''}</p>
      ${teachers.map((id) => html`<span class="chip">lines of drawing ${numbers.get(id)} <button data-teacher="${id}"
        aria-label="Drawing ${numbers.get(id)} teaches no more">×</button></span>`)}
      ${entry.strokes && !teachers.includes(entry.id) ? html`<button id="teach">Its lines are right: learn from drawing ${entry.number}</button>` : ''}`);
    const set = (ids) => { reading.taught_by = ids; this.marks(); };
    box.querySelector('#unsay')?.addEventListener('click', async () => { if (await change(app, { do: 'unsay' }, entry)) this.marks(); });
    box.querySelector('#teach')?.addEventListener('click', () => set([...teachers, entry.id]));
    for (const button of box.querySelectorAll('[data-teacher]')) button.addEventListener('click',
      () => set(teachers.filter((id) => id !== Number(button.dataset.teacher))));
  }

  kindChip({ kind, share }) {
    const { reading } = this;
    const chip = document.createElement('label');
    chip.className = 'chip';
    fill(chip, html`<span class="swatch mark-${kind}"></span><span>${KINDS[kind]} <i class="quiet">${Math.round(share * 100)} %</i></span>
      <select aria-label="Marks read as ${KINDS[kind]}"><option value="out">leave out</option><option value="draw">take as lines</option></select>`);
    if (kind === 'note') {
      const keep = Object.assign(document.createElement('button'),
        { type: 'button', id: 'keep-notes', textContent: 'keep as notes', title: 'Cut out of the chosen roughs and kept in the notes of the shot' });
      keep.addEventListener('click', () => this.keepNotes());
      chip.append(keep);
    }
    const select = chip.querySelector('select');
    select.value = reading.keep.includes(kind) ? 'draw' : 'out';
    select.addEventListener('change', () => {
      reading.keep = reading.keep.filter((k) => k !== kind);
      if (select.value === 'draw') reading.keep.push(kind);
      this.tint();
    });
    return chip;
  }

  // What was written on the roughs becomes notes of the shot, as pictures.
  async keepNotes() {
    const { app } = this;
    const drawings = app.chosen.size > 1 ? app.meant().map((d) => d.id) : [app.current.id];
    const { keep: _, ...reading } = this.reading;
    try {
      const { notes } = await post(`/api/levels/${app.level}/notes`, { drawings, reading: { ...reading, keep: [] } });
      app.sync.undoes('times');
      await app.sync.refresh();
      notice(notes ? `${notes} note${notes > 1 ? 's' : ''} kept in the dock; undo takes them away` : 'They are in the notes already');
    } catch (error) { notice(error.message, true); }
  }

  async tryIt() {
    const { app } = this;
    const words = document.getElementById('tried');
    const entry = app.current;
    words.textContent = 'Trying …';
    try {
      const found = await post(`/api/drawings/${entry.id}/try`, this.reading);
      if (entry !== app.current) return;
      app.table.paper.ghost(found.strokes);
      words.textContent = `In teal: ${found.strokes.length} lines (now ${lineNow(entry)?.strokes.length || 0}). Not kept; clean to keep it.`;
    } catch (error) { words.textContent = error.message; }
  }
}
