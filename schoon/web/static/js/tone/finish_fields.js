// The fields of one entry of the finish.

import { html, settled } from '../dom.js';
import { notice, upload } from '../api.js';
import { round } from '../pure/geometry.js';
import { valueAt } from '../pure/notches.js';
import { KINDS, changing, fieldsOf, isFolded } from './finish_kinds.js';

// Whether what is folded is open, as it was left.
const OPEN = 'finish-more';

export class Fields {
  // keep(entry, changes, words) takes what shall be otherwise.
  constructor(app, stage, keep) { Object.assign(this, { app, stage, keep }); }

  get frame() { return this.stage.light.frameOf(this.app.current); }

  get parts() { return [...new Set(this.app.data.pots.map((p) => p.part).filter(Boolean))]; }

  set(entry, changes) { return this.keep(entry, changes, `change ${KINDS[entry.kind].words.toLowerCase()}`); }

  // Numbers of an entry: at the notch of this drawing, where it changes over time.
  setNumbers(entry, values) {
    const { notches } = entry;
    if (!Object.keys(notches).length) return this.set(entry, values);
    return this.set(entry, { notches: { [this.frame]: { ...this.now(entry), ...values } } });
  }

  // Numbers as far as they may go, in the steps in which they are written.
  bounded(entry, values) {
    const asked = Object.fromEntries(fieldsOf(entry).map(([name, , , more]) => [name, more]));
    return Object.fromEntries(Object.entries(values).map(([name, value]) => {
      const [least, most, step] = asked[name];
      return [name, round(Math.min(most, Math.max(least, Math.round(value / step) * step)), 1000)];
    }));
  }

  // Shows numbers that are being dragged.
  write(values) {
    for (const [name, value] of Object.entries(values)) {
      const field = this.stage.body.querySelector(`.finish-fields [name="${name}"]`);
      if (field) { field.value = value; settled(field); }
    }
  }

  now(entry) { return Object.fromEntries(changing(entry).map((name) => [name, valueAt(entry, name, this.frame)])); }

  changes(entry, ticked) {
    if (ticked) return this.set(entry, { notches: { [this.frame]: this.now(entry) } });
    return this.set(entry, { ...this.now(entry), notches: Object.fromEntries(Object.keys(entry.notches).map((frame) => [frame, null])) });
  }

  markup(entry) {
    const notches = Object.keys(entry.notches).map(Number);
    const time = changing(entry).length ? html`<label><input name="changes" type="checkbox" ${notches.length ? 'checked' : ''}> changes over time</label>
      ${notches.length ? html`<span class="notches">notches at ${notches.map((f) => html`<button type="button" data-notch="${f}"
        class="${f === this.frame ? 'here' : ''}" title="Take the notch at frame ${f} away"
          aria-label="Take the notch at frame ${f} away">${f} ✕</button>`)}<span
            class="quiet">a change here makes one at frame ${this.frame}</span></span>` : ''}` : '';
    const all = fieldsOf(entry);
    const folded = all.filter((field) => isFolded(entry, field));
    return html`${all.filter((field) => !folded.includes(field)).map((field) => this.one(entry, field))}
      ${folded.length ? html`<details class="more" ${localStorage[OPEN] === 'yes' ? 'open' : ''}><summary>more</summary>${folded
        .map((field) => this.one(entry, field))}</details>` : ''}
      <label>frames <input name="first" type="number" min="1" max="20000" value="${entry.first ?? ''}" placeholder="1"></label><label>to <input name="last"
        type="number" min="1" max="20000" value="${entry.last ?? ''}" placeholder="${this.app.data.shot.frames}"></label>${time}`;
  }

  one(entry, [name, words, how, more]) {
    const { pots } = this.app.data;
    const value = how === 'number' || how === 'share' ? Math.round(1000 * valueAt(entry, name, this.frame)) / 1000 : entry[name];
    const select = (choices, chosen) => html`<label>${words} <select
      name="${name}">${Object.entries(choices)
        .map(([v, said]) => html`<option value="${v}" ${v === String(chosen) ? 'selected' : ''}>${said}</option>`)}</select></label>`;
    const ticks = (all, numbers) => html`<fieldset data-name="${name}"
      ${numbers ? 'data-numbers' : ''}><legend>${words}</legend>${all.map(([v, said]) => html`<label><input type="checkbox" value="${v}"
        ${value.includes(v) ? 'checked' : ''}> ${said}</label>`)}${all.length ? '' : html`<span class="quiet">the model has none</span>`}</fieldset>`;
    switch (how) {
      case 'choice': return select(more, value);
      case 'picture': return html`${select({ ...more, own: 'a picture of your own …' }, entry.own ? 'own' : value)}<input class="bring" type="file" hidden
        accept=".png,.jpg,.jpeg,.tif,.tiff,.webp" aria-label="Picture of the texture">`;
      case 'colour': return html`<label>${words} <input name="${name}" type="color" value="${value}" aria-label="colour"></label>`;
      case 'number':
      case 'whole': return html`<label>${words} <input name="${name}" data-how="${how}" type="number" min="${more[0]}" max="${more[1]}" step="${more[2]}"
        value="${value}"></label>`;
      case 'share': return html`<label>${words} <input name="${name}" data-how="number" type="range" min="0" max="1" step="0.05" value="${value}"></label>`;
      case 'tick': return html`<label><input name="${name}" data-how="tick" type="checkbox" ${value ? 'checked' : ''}> ${words}</label>`;
      case 'pot': return select({ '': more, ...Object.fromEntries(pots.map((p) => [p.id, p.name])) }, value ?? '');
      case 'pots': return ticks(pots.map((p) => [p.id, p.name]), true);
      case 'ring': return html`<button type="button" data-draw="ring">Draw the area anew</button>`;
      case 'areas': return html`<span class="areas"><button type="button" data-draw="cut">Cut out …</button><button type="button" data-draw="add">Add …</button>
        ${value.map((a, k) => html`<span class="area">${a.adds ? 'added' : 'cut out'}, ${a.first ? `frames ${a.first} to ${a.last}` : 'all frames'} <button
          type="button" data-hold="${k}" title="Hold it in all frames, or in this drawing alone">${a.first ? 'in all' : 'here only'}</button><button
            type="button" data-drop="${k}" aria-label="Take the area out">✕</button></span>`)}</span>`;
      default: return ticks(this.parts.map((part) => [part, part]));
    }
  }

  wire(form, entry) {
    form.addEventListener('submit', (event) => event.preventDefault());
    const more = form.querySelector('.more');
    more?.addEventListener('toggle', () => { localStorage[OPEN] = more.open ? 'yes' : ''; });
    form.addEventListener('change', ({ target }) => { if (!this.busy) this.changed(form, entry, target); });
    for (const button of form.querySelectorAll('[data-notch]')) {
      button.addEventListener('click', () => {
        const { [button.dataset.notch]: gone, ...others } = entry.notches;
        const notches = { [button.dataset.notch]: null };
        this.set(entry, Object.keys(others).length ? { notches } : { ...gone, notches });
      });
    }
    for (const button of form.querySelectorAll('[data-draw]')) button.addEventListener('click', () => this.draw(entry, button.dataset.draw));
    for (const button of form.querySelectorAll('[data-drop]')) button.addEventListener('click',
      () => this.set(entry, { areas: entry.areas.filter((_, k) => k !== Number(button.dataset.drop)) }));
    for (const button of form.querySelectorAll('[data-hold]')) button.addEventListener('click', () => this.hold(entry, Number(button.dataset.hold)));
  }

  changed(form, entry, target) {
    settled(target);
    const box = target.closest('fieldset');
    if (box) return this.set(entry, { [box.dataset.name]: [...box.querySelectorAll(':checked')]
      .map((tick) => ('numbers' in box.dataset ? Number(tick.value) : tick.value)) });
    const { name, value, dataset } = target;
    if (target.classList.contains('bring')) return this.bring(entry, target.files[0]);
    if (name === 'changes') return this.changes(entry, target.checked);
    if (name === 'picture' && value === 'own') { form.querySelector('.bring').click(); return null; }
    if (name === 'picture') return this.set(entry, { picture: value, own: null });
    if (['first', 'last', 'pot'].includes(name)) return this.set(entry, { [name]: Number(value) || null });
    if (dataset.how === 'tick') return this.set(entry, { [name]: target.checked });
    if (dataset.how === 'whole') return this.set(entry, { [name]: Math.round(Number(value)) });
    return dataset.how === 'number' ? this.setNumbers(entry, { [name]: Number(value) }) : this.set(entry, { [name]: value });
  }

  async bring(entry, file) {
    if (!file) return;
    const form = new FormData();
    form.append('picture', file);
    try {
      const { own } = await upload(`/api/shots/${this.app.data.shot.id}/textures`, form);
      await this.set(entry, { own });
    } catch (error) { notice(error.message, true); }
  }

  draw(entry, what) {
    this.app.table.pickRing((ring) => {
      if (what === 'ring') this.set(entry, { ring });
      else this.set(entry, { areas: [...entry.areas, { ring, adds: what === 'add', first: null, last: null }] });
    });
  }

  // An area holds in all frames, or in the frames that show this drawing first.
  hold(entry, which) {
    const span = this.app.data.spans.find(([, , d]) => d === this.app.current.id);
    const [first, last] = span ? [span[0], span[0] + span[1] - 1] : [1, 1];
    const areas = entry.areas.map((a, k) => { if (k !== which) return a; return a.first ? { ...a, first: null, last: null } : { ...a, first, last }; });
    return this.set(entry, { areas });
  }
}
