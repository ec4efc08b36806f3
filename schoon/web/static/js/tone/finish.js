// The finish of the level: an ordered list; each entry with its range, a switch, and what it touches.

import { fill, html } from '../dom.js';
import { change, notice } from '../api.js';
import { newId } from '../pure/ids.js';

const WHERE = { all: 'all lines', inner: 'lines inside one pot', outline: 'the outline' };
const BLEND = { normal: 'laid on', multiply: 'multiplied', screen: 'screened' };

// kind -> its name and fields: [name, words, how it is asked for, its choices or bounds].
const KINDS = {
  'line-colour': { words: 'Line colour', fields: [['how', 'colour', 'choice', { pot: 'of the pot', one: 'one colour' }], ['colour', '', 'colour'], ['where', 'for', 'choice', WHERE], ['parts', 'parts', 'parts']] },
  'line-weight': { words: 'Line weight', fields: [['factor', 'times', 'number', [0.1, 6, 0.1]], ['where', 'for', 'choice', WHERE]] },
  cast: { words: 'Cast shadow', fields: [['high', 'height', 'number', [-3, 3, 0.05]], ['wide', 'width', 'number', [0.02, 6, 0.05]], ['shear', 'lean', 'number', [-6, 6, 0.1]], ['turn', 'turn °', 'number', [-180, 180, 1]], ['x', 'shift x', 'number', [-20000, 20000, 1]], ['y', 'y', 'number', [-20000, 20000, 1]], ['soft', 'soft px', 'number', [0, 200, 1]], ['colour', 'colour', 'colour'], ['opacity', 'opacity', 'share'], ['parts', 'cast by', 'parts']] },
  contact: { words: 'Contact shadow', fields: [['parts', 'of', 'parts'], ['onto', 'onto', 'parts'], ['x', 'shift x', 'number', [-20000, 20000, 1]], ['y', 'y', 'number', [-20000, 20000, 1]], ['tone', 'in', 'choice', { shade: 'shade', deep: 'deep shade' }]] },
  wash: { words: 'Wash', fields: [['shape', '', 'choice', { straight: 'straight', round: 'round' }], ['x0', 'from x', 'number', [-20000, 20000, 1]], ['y0', 'y', 'number', [-20000, 20000, 1]], ['x1', 'to x', 'number', [-20000, 20000, 1]], ['y1', 'y', 'number', [-20000, 20000, 1]], ['colour', 'colour', 'colour'], ['blend', '', 'choice', BLEND], ['opacity', 'opacity', 'share'], ['parts', 'on', 'parts']] },
  texture: { words: 'Texture', fields: [['picture', '', 'choice', { weave: 'weave', wash: 'wash', grain: 'grain', dots: 'dots', hatch: 'hatching' }], ['where', 'in', 'choice', { all: 'all of it', shade: 'the shade' }], ['scale', 'scale', 'number', [0.1, 10, 0.1]], ['amount', 'amount', 'share'], ['blend', '', 'choice', BLEND], ['cycle', 'cycle of drawings', 'number', [1, 12, 1]], ['follows', 'moves with the figure', 'tick'], ['parts', 'on', 'parts']] },
  highlight: { words: 'Highlight', fields: [['pots', 'on', 'pots'], ['turn', 'side °', 'number', [-360, 360, 5]], ['out', 'out', 'share'], ['size', 'size', 'share'], ['colour', 'colour', 'colour']] },
  hide: { words: 'Hide a box', fields: [['x0', 'from x', 'number', [-20000, 20000, 1]], ['y0', 'y', 'number', [-20000, 20000, 1]], ['x1', 'to x', 'number', [-20000, 20000, 1]], ['y1', 'y', 'number', [-20000, 20000, 1]], ['outside', 'all but the box', 'tick']] },
  treatment: { words: 'Treatment', fields: [['what', '', 'choice', { 'no-ink': 'no ink', 'ink-only': 'ink only', grey: 'grey but for one pot' }], ['pot', 'pot kept', 'pot']] },
};

const PLAIN = {
  'line-colour': { how: 'pot', colour: '#5b3a29', where: 'all', parts: [] },
  'line-weight': { factor: 1.4, where: 'outline' },
  cast: { x: 0, y: 0, wide: 1, high: 0.32, shear: -0.9, turn: 0, soft: 3, colour: '#1d2b3a', opacity: 0.35, parts: [] },
  contact: { parts: [], onto: [], x: 6, y: 14, tone: 'shade' },
  wash: { shape: 'straight', x0: 0, y0: 0, x1: 0, y1: 600, colour: '#ffd27a', blend: 'multiply', opacity: 0.6, parts: [] },
  texture: { picture: 'weave', scale: 1, amount: 0.35, blend: 'multiply', cycle: 1, follows: true, where: 'all', parts: [] },
  highlight: { pots: [], turn: -40, out: 0.45, size: 0.3, colour: '#ffffff' },
  hide: { x0: 0, y0: 0, x1: 0, y1: 0, outside: false },
  treatment: { what: 'no-ink', pot: null },
};

export class Finish {
  constructor(app, stage) { Object.assign(this, { app, stage, chosen: null }); }

  get list() { return this.app.levels.mine?.finish ?? []; }

  get parts() { return [...new Set(this.app.data.pots.map((p) => p.part).filter(Boolean))]; }

  // What an entry touches, in words.
  touches(entry) {
    const parts = entry.parts?.length ? entry.parts.join(', ').toLowerCase() : 'everything';
    const said = {
      'line-colour': () => `${WHERE[entry.where]}${entry.parts.length ? ` of ${parts}` : ''}`, 'line-weight': () => `${WHERE[entry.where]}, times ${entry.factor}`, cast: () => `by ${parts}`,
      contact: () => `${parts} onto ${entry.onto.length ? entry.onto.join(', ').toLowerCase() : 'what is below'}`, wash: () => parts, texture: () => `${entry.picture} on ${parts}${entry.where === 'shade' ? ', in the shade' : ''}`,
      highlight: () => this.app.data.pots.filter((p) => entry.pots.includes(p.id)).map((p) => p.name.toLowerCase()).join(', ') || 'no pot yet', hide: () => `${entry.outside ? 'all but ' : ''}${Math.abs(entry.x1 - entry.x0)} × ${Math.abs(entry.y1 - entry.y0)} px`,
      treatment: () => ({ 'no-ink': 'no ink', 'ink-only': 'ink only', grey: 'grey but for one pot' })[entry.what],
    };
    return said[entry.kind]();
  }

  // The list is kept at once; what changed is said in the history.
  async keep(entries, what) {
    const { app } = this;
    try {
      const answer = await change('stacks', app.data.shot.id, 'finish', { level: app.level, entries, what });
      app.sync.undoes('stacks');
      app.levels.mine.finish = answer.levels[app.level].finish;
      app.colours.use(app.data.key);
      app.table.draw();
    } catch (error) { notice(error.message, true); }
    this.stage.ledge();
  }

  set(entry, name, value) {
    return this.keep(this.list.map((e) => (e.id === entry.id ? { ...e, [name]: value } : e)), `change ${KINDS[entry.kind].words.toLowerCase()}`);
  }

  add(kind) {
    const [w, h] = this.app.table.view.size;
    const box = this.app.current.box ?? [0, 0, w, h];
    const place = kind === 'wash' ? { x0: Math.round((box[0] + box[2]) / 2), y0: Math.round(box[3]), x1: Math.round((box[0] + box[2]) / 2), y1: Math.round(box[1]) } : {};
    const parts = kind === 'contact' ? { parts: this.parts.slice(0, 1) } : {};
    const entry = { id: newId(), kind, on: true, first: null, last: null, ...PLAIN[kind], ...place, ...parts };
    this.chosen = entry.id;
    const keep = (made) => this.keep([...this.list, made], `add ${KINDS[kind].words.toLowerCase()}`);
    if (kind !== 'hide') { keep(entry); return; }
    // A box is drawn on the paper before it is an entry.
    this.app.table.pickBox(([x0, y0, x1, y1]) => keep({ ...entry, x0: Math.round(x0), y0: Math.round(y0), x1: Math.round(x1), y1: Math.round(y1) }));
  }

  move(entry, by) {
    const list = this.list.slice();
    const k = list.findIndex((e) => e.id === entry.id);
    if (k + by < 0 || k + by >= list.length) return;
    [list[k], list[k + by]] = [list[k + by], list[k]];
    this.keep(list, 'order the finish');
  }

  show(acts) {
    const body = document.getElementById('ledge-body');
    const { list } = this;
    const { frames } = this.app.data.shot;
    fill(acts, html`<select id="finish-add" aria-label="Add to the finish"><option value="">Add …</option>${Object.entries(KINDS).map(([kind, { words }]) => html`<option value="${kind}">${words}</option>`)}</select>`);
    acts.firstChild.addEventListener('change', (event) => { if (event.target.value) this.add(event.target.value); });
    const chosen = list.find((e) => e.id === this.chosen) ?? list[0];
    const bar = (e) => `left: ${(100 * ((e.first ?? 1) - 1)) / frames}%; right: ${100 - (100 * Math.min(e.last ?? frames, frames)) / frames}%`;
    fill(body, html`<div class="finish"><ol class="finish-list" aria-label="Finish, in order">${list.map((e, k) => html`<li data-id="${e.id}" class="${e === chosen ? 'chosen' : ''} ${e.on ? '' : 'off'}">
        <input type="checkbox" ${e.on ? 'checked' : ''} aria-label="${KINDS[e.kind].words} is on" autocomplete="off"><button class="pick">${KINDS[e.kind].words}</button><span class="quiet">${this.touches(e)}</span>
        <span class="range" title="frames ${e.first ?? 1} to ${e.last ?? frames}"><i style="${bar(e)}"></i></span>
        <button class="up" aria-label="Earlier" ${k ? '' : 'disabled'}>↑</button><button class="down" aria-label="Later" ${k < list.length - 1 ? '' : 'disabled'}>↓</button><button class="out" aria-label="Take ${KINDS[e.kind].words} out">✕</button></li>`)}
      ${list.length ? '' : html`<li class="quiet">Nothing yet. Lines can take the colour of their pot, the figure can cast a shadow, a wash or a texture can lie on its parts.</li>`}</ol>
      ${chosen ? html`<form class="finish-fields" autocomplete="off">${this.fields(chosen)}</form>` : ''}</div>`);
    for (const row of body.querySelectorAll('.finish-list li[data-id]')) this.wireRow(row, list.find((e) => e.id === row.dataset.id));
    if (chosen) this.wireFields(body.querySelector('.finish-fields'), chosen);
  }

  wireRow(row, entry) {
    row.querySelector('input').addEventListener('change', (event) => this.keep(this.list.map((e) => (e === entry ? { ...e, on: event.target.checked } : e)), `${event.target.checked ? 'switch on' : 'switch off'} ${KINDS[entry.kind].words.toLowerCase()}`));
    row.querySelector('.pick').addEventListener('click', () => { this.chosen = entry.id; this.stage.ledge(); });
    row.querySelector('.up').addEventListener('click', () => this.move(entry, -1));
    row.querySelector('.down').addEventListener('click', () => this.move(entry, 1));
    row.querySelector('.out').addEventListener('click', () => this.keep(this.list.filter((e) => e !== entry), `take ${KINDS[entry.kind].words.toLowerCase()} out`));
  }

  fields(entry) {
    const one = ([name, words, how, more]) => {
      const value = entry[name];
      if (how === 'choice') return html`<label>${words} <select name="${name}">${Object.entries(more).map(([v, said]) => html`<option value="${v}" ${v === value ? 'selected' : ''}>${said}</option>`)}</select></label>`;
      if (how === 'colour') return html`<label>${words} <input name="${name}" type="color" value="${value}" aria-label="colour"></label>`;
      if (how === 'number') return html`<label>${words} <input name="${name}" type="number" min="${more[0]}" max="${more[1]}" step="${more[2]}" value="${value}"></label>`;
      if (how === 'share') return html`<label>${words} <input name="${name}" type="range" min="0" max="1" step="0.05" value="${value}"></label>`;
      if (how === 'tick') return html`<label><input name="${name}" type="checkbox" ${value ? 'checked' : ''}> ${words}</label>`;
      if (how === 'pot') return html`<label>${words} <select name="${name}"><option value="">none</option>${this.app.data.pots.map((p) => html`<option value="${p.id}" ${p.id === value ? 'selected' : ''}>${p.name}</option>`)}</select></label>`;
      if (how === 'pots') return html`<fieldset data-name="${name}" data-numbers><legend>${words}</legend>${this.app.data.pots.map((p) => html`<label><input type="checkbox" value="${p.id}" ${value.includes(p.id) ? 'checked' : ''}> ${p.name}</label>`)}</fieldset>`;
      return html`<fieldset data-name="${name}"><legend>${words}</legend>${this.parts.map((part) => html`<label><input type="checkbox" value="${part}" ${value.includes(part) ? 'checked' : ''}> ${part}</label>`)}${this.parts.length ? '' : html`<span class="quiet">the model has no parts</span>`}</fieldset>`;
    };
    return html`${KINDS[entry.kind].fields.map(one)}
      <label>frames <input name="first" type="number" min="1" max="20000" value="${entry.first ?? ''}" placeholder="1"></label><label>to <input name="last" type="number" min="1" max="20000" value="${entry.last ?? ''}" placeholder="${this.app.data.shot.frames}"></label>`;
  }

  wireFields(form, entry) {
    form.addEventListener('submit', (event) => event.preventDefault());
    form.addEventListener('change', ({ target }) => {
      const box = target.closest('fieldset');
      if (box) { this.set(entry, box.dataset.name, [...box.querySelectorAll(':checked')].map((tick) => ('numbers' in box.dataset ? Number(tick.value) : tick.value))); return; }
      const whole = ['first', 'last', 'pot'].includes(target.name);
      const number = target.type === 'number' || target.type === 'range';
      const value = target.type === 'checkbox' ? target.checked : whole ? Number(target.value) || null : number ? Number(target.value) : target.value;
      this.set(entry, target.name, value);
    });
  }
}
