// A part of all drawings side by side, registered and at one scale, with its measures; odd ones first.

import { fill, html } from '../../dom.js';
import { get, notice } from '../../api.js';
import { change } from '../../edits/queue.js';
import { applied, inverse } from '../../pure/geometry.js';
import { View } from './view.js';

const WORDS = { weight: 'weight', length: 'length', area: 'area', count: 'lines' };

export class CompareView extends View {
  constructor(ledge) {
    super(ledge);
    // What the server found last, and what it was asked; what it is asked just now.
    this.found = null;
    this.wanted = '';
    this.part = '';
    this.box = null;
    this.oddFirst = true;
    // A point in the reference drawing whose path is shown, null for the middle of the part.
    this.point = null;
    this.limits = this.app.data.limits;
  }

  get reference() {
    const { app } = this;
    return app.onion.pinned || app.data.run.find((d) => d.strokes) || app.current;
  }

  async show() {
    const { app, body } = this;
    const names = app.parts.names();
    if (!this.box && !names.includes(this.part)) this.part = names[0] || '';
    this.showActs(names);
    if (!this.part && !this.box) {
      fill(body, html`<p class="empty">Parts come from naming lines: choose some with C and write the part below the paper.
        Or draw a rectangle to compare what lies in it.</p>`);
      return;
    }
    const query = this.box ? this.box.map((v) => `box=${v.toFixed(1)}`).join('&') : `part=${encodeURIComponent(this.part)}`;
    const asked = `${query} ${this.reference.id} ${app.data.run.map((d) => d.revision).join()}`;
    if (this.found?.asked !== asked && !await this.ask(query, asked)) return;
    this.showCells();
  }

  showActs(names) {
    const { acts } = this.ledge;
    fill(acts, html`<label>part <select id="compare-part">${this.box ? html`<option value="">the rectangle</option>`
      : ''}${names.map((name) => html`<option value="${name}">${name}</option>`)}</select></label>
      <button id="compare-box">Draw a rectangle</button><label><input type="checkbox" id="compare-odd"> odd ones first</label>`);
    const [select, odd] = ['#compare-part', '#compare-odd'].map((id) => acts.querySelector(id));
    select.value = this.box ? '' : this.part;
    odd.checked = this.oddFirst;
    select.addEventListener('change', () => { if (select.value) { this.part = select.value; this.box = null; this.show(); } });
    odd.addEventListener('change', () => { this.oddFirst = odd.checked; if (this.found) this.showCells(); });
    acts.querySelector('#compare-box').addEventListener('click', () => this.app.table.pickBox((box) => { this.box = box; this.show(); }));
  }

  // Resolves to whether the answer is here and still wanted.
  async ask(query, asked) {
    if (this.wanted === asked) return false;
    this.wanted = asked;
    const { reference } = this;
    if (!this.found) fill(this.body, html`<p class="empty">Registering …</p>`);
    let found = null;
    let fault = '';
    try {
      found = await get(`/api/levels/${this.app.level}/ledge?reference=${reference.id}&${query}`);
    } catch (error) { fault = error.message; }
    // Another part may have been asked for meanwhile.
    if (this.wanted !== asked) return false;
    this.wanted = '';
    this.found = found && { ...found, asked, reference };
    if (fault) fill(this.body, html`<p class="empty">${fault}</p>`);
    return Boolean(found) && this.ledge.view === 'compare';
  }

  showCells() {
    const { found } = this;
    const cells = [...found.cells];
    if (this.oddFirst) cells.sort((a, b) => b.odd - a.odd || a.number - b.number);
    this.first = found.cells.find((c) => c.id === found.reference.id);
    this.body.replaceChildren(this.summary(), ...cells.map((cell) => this.card(cell)));
  }

  card(cell) {
    const { app, limits } = this;
    const { model, box: [x0, y0, x1, y1] } = this.found;
    const card = document.createElement('button');
    card.className = 'part-card';
    card.dataset.id = cell.id;
    card.toggleAttribute('aria-current', cell.id === app.current.id);
    const says = model || this.first?.measures || {};
    const row = ([name, words]) => html`<tr class="${this.far(cell.measures[name], says[name]) ? 'ask'
      : ''}"><td>${words}</td><td>${cell.measures[name]}</td><td class="quiet">${model ? model[name] : ''}</td></tr>`;
    const lines = cell.measures ? Object.entries(WORDS).map(row) : html`<tr class="ask"><td>missing</td></tr>`;
    const moved = cell.matrix ? html`transform="matrix(${cell.matrix.join(' ')})"` : '';
    const paths = cell.paths.map(([d, width, doubt]) => html`<path d="${d}" stroke-width="${width}" class="${doubt ? 'doubt' : ''}"/>`);
    fill(card, html`<svg viewBox="${x0} ${y0} ${x1 - x0} ${y1 - y0}"><g ${moved}>${paths}</g></svg>
      <div><b class="number">${cell.number}</b>${cell.odd > limits.odd ? html`<b class="ask">odd</b>` : ''}<table>${lines}</table></div>`);
    card.addEventListener('click', async () => {
      await app.go(cell.id, true);
      if (cell.at) app.table.lookAt(cell.at[0], cell.at[1], Math.max(app.table.view.zoom, 1));
    });
    return card;
  }

  far(value, says) { return says && Math.abs(value - says) > this.limits.off * says + 0.01; }

  // Drift from the first drawing and tremble against the neighbours, as two small curves.
  summary() {
    const box = document.createElement('div');
    box.className = 'creep';
    fill(box, html`${this.curve('drift')}${this.curve('tremble')}${this.spacing()}`);
    const follow = Object.assign(document.createElement('button'), { textContent: this.point ? 'Path of the part' : 'Path of a point …', id: 'path-point' });
    follow.addEventListener('click', () => this.choosePoint());
    box.append(follow);
    this.showPath();
    for (const dot of box.querySelectorAll('circle')) dot.addEventListener('click', () => this.app.go(Number(dot.dataset.id), true));
    if (this.app.data.model && this.part && !this.found.asked.startsWith('box')) {
      const words = this.found.model ? `Take drawing ${this.app.current.number} as the model’s measure` : `Hold all against drawing ${this.app.current.number}`;
      const button = Object.assign(document.createElement('button'), { textContent: words });
      button.addEventListener('click', () => this.takeMeasure());
      box.append(button);
    }
    return box;
  }

  curve(name) {
    const { cells, reference } = this.found;
    const values = cells.map((c) => c[name]);
    const top = Math.max(4, ...values.filter((v) => v !== null));
    const at = (v, k) => [6 + (k * 148) / Math.max(1, values.length - 1), 34 - (v / top) * 28];
    const points = values.map((v, k) => (v === null ? null : at(v, k)));
    const title = name === 'drift' ? `how far it has crept from drawing ${reference.number}` : 'how much it shakes against its neighbours';
    const dot = (p, k) => html`<circle cx="${p[0]}" cy="${p[1]}" r="3.2"
      data-id="${cells[k].id}"><title>drawing ${cells[k].number}: ${values[k]} px</title></circle>`;
    return html`<figure><figcaption title="${title}">${name} <i class="quiet">up to ${Math.max(0, ...values.filter((v) => v !== null))} px</i></figcaption>
      <svg viewBox="0 0 160 40"><path d="${points.filter(Boolean)
        .map((p, k) => `${k ? 'L' : 'M'}${p.join(' ')}`)}"/>${points.map((p, k) => (p ? dot(p, k) : ''))}</svg></figure>`;
  }

  // Where the part, or a point chosen on it, lies in each drawing that has it: [cell, [x, y]].
  places() {
    const { cells, reference } = this.found;
    const from = cells.find((c) => c.id === reference.id);
    const at = (cell) => {
      if (!this.point || !cell.matrix || !from?.matrix) return this.point ? null : cell.at;
      return applied(inverse(cell.matrix), this.point);
    };
    return cells.map((cell) => [cell, at(cell)]).filter(([, place]) => place);
  }

  // How far it goes from drawing to drawing.
  spacing() {
    const places = this.places();
    const steps = places.slice(1).map(([cell, [x, y]], k) => ({ cell, far: Math.hypot(x - places[k][1][0], y - places[k][1][1]) }));
    const top = Math.max(4, ...steps.map((s) => s.far));
    const at = ({ far }, k) => [6 + ((k + 0.5) * 148) / Math.max(1, steps.length), 34 - (far / top) * 28];
    const dot = (step, k) => html`<circle cx="${at(step, k)[0]}" cy="${at(step, k)[1]}" r="3.2"
      data-id="${step.cell.id}"><title>to drawing ${step.cell.number}: ${Math.round(step.far)} px</title></circle>`;
    return html`<figure id="spacing"><figcaption title="how far it goes from each drawing to the next">spacing <i
      class="quiet">up to ${Math.round(top)} px</i></figcaption>
      <svg viewBox="0 0 160 40"><path d="${steps.map((s, k) => `${k ? 'L' : 'M'}${at(s, k).join(' ')}`)}"/>${steps.map(dot)}</svg></figure>`;
  }

  showPath() { this.app.table.paper.path(this.places().map(([cell, place]) => ({ place, number: cell.number, here: cell.id === this.app.current.id }))); }

  // A point on the drawing on the table is followed instead of the middle of the part; pressed again the middle is.
  choosePoint() {
    const { app } = this;
    if (this.point) { this.point = null; this.showCells(); return; }
    const cell = this.found.cells.find((c) => c.id === app.current.id);
    if (!cell?.matrix) { notice('This drawing has nothing of the part; step to one that has'); return; }
    notice('Press a point of the part on the paper');
    app.tools.once = (event, at) => { this.point = applied(cell.matrix, at); this.showCells(); return null; };
  }

  async takeMeasure() {
    const { app } = this;
    const here = this.found.cells.find((c) => c.id === app.current.id)?.measures || this.first?.measures;
    if (!here) { notice('This drawing has nothing of the part to measure by'); return; }
    try {
      await change('models', app.data.model, 'measure', { part: this.part, ...here });
      this.found = null;
      this.show();
    } catch (error) { notice(error.message, true); }
  }
}
