// The ledger: rows are pots, columns drawings, each cell a crop of what carries that pot. Only what is in sight is made.

import { fill, html } from '../dom.js';
import { get, notice } from '../api.js';
import { change } from '../edits/queue.js';
import { CARD, meant, shown } from '../keys.js';
import { oddity } from '../pure/oddity.js';

const CELL = [92, 62];
const HEAD = [132, 22];
// In the cells as on every card; F is the tool that pours.
const KEYS = { [CARD.take]: 'accept', f: 'pour', [CARD.none]: 'lift' };

const known = new Map();

export class Ledger {
  constructor(app, stage) {
    this.app = app; this.stage = stage;
    this.at = [0, 0];
    this.chosen = new Set();
    this.asked = new Set();
    this.line = [];
    this.busy = 0;
    this.body = stage.body;
  }

  name(entry) { return `${entry.id}@${entry.revision}`; }

  odd(cells, k) { return oddity(cells, k, this.app.data.limits); }

  cells(pot) { return this.app.data.run.map((d) => known.get(this.name(d))?.pots[pot.id] || null); }

  show(acts) {
    const { body } = this;
    fill(acts, html`<span class="quiet" id="cells-chosen"></span><button id="cell-accept"
      title="Unsure patches stand as they are">Accept <kbd>${shown(CARD.take)}</kbd></button>
      <button id="cell-pour">Pour instead <kbd>F</kbd></button><button id="cell-lift">Lift off <kbd>${shown(CARD.none)}</kbd></button>`);
    acts.querySelector('#cell-accept').addEventListener('click', () => this.act('accept'));
    acts.querySelector('#cell-pour').addEventListener('click', () => this.act('pour'));
    acts.querySelector('#cell-lift').addEventListener('click', () => this.act('lift'));
    if (!body.querySelector('.ledger')) {
      fill(body, html`<div class="ledger" tabindex="0" role="grid" aria-label="Pots through the run"></div>`);
      this.grid = body.firstChild;
      this.grid.addEventListener('scroll', () => this.fill());
      this.grid.addEventListener('keydown', (event) => this.key(event));
      this.grid.addEventListener('click', (event) => this.click(event));
      new ResizeObserver(() => this.fill()).observe(this.grid);
    }
    this.fill();
  }

  // Cells in sight, and those of drawings in sight fetched as they come.
  fill() {
    const { app, grid } = this;
    if (!grid?.isConnected) return;
    const { run, pots } = app.data;
    if (!pots.length) { fill(grid, html`<p class="empty">The model has no pots yet.</p>`); return; }
    const first = Math.max(0, Math.floor(grid.scrollLeft / CELL[0]) - 1);
    const last = Math.min(run.length, first + Math.ceil(grid.clientWidth / CELL[0]) + 2);
    const top = Math.max(0, Math.floor(grid.scrollTop / CELL[1]) - 1);
    const bottom = Math.min(pots.length, top + Math.ceil(grid.clientHeight / CELL[1]) + 2);
    const columns = Array.from({ length: last - first }, (_, k) => first + k);
    const rows = Array.from({ length: Math.max(0, bottom - top) }, (_, k) => top + k);
    for (const c of columns) this.fetch(run[c]);
    const [wide, high] = [HEAD[0] + run.length * CELL[0], HEAD[1] + pots.length * CELL[1]];
    fill(grid, html`<div class="extent" style="width:${wide}px;height:${high}px"></div>${columns.map((c) => this.columnHead(c))}
      ${rows.map((r) => this.row(r, columns))}<div class="corner" style="left:${grid.scrollLeft}px;top:${grid.scrollTop}px">pot</div>`);
    const words = document.getElementById('cells-chosen');
    if (words) words.textContent = this.picked().length > 1 ? `${this.picked().length} cells` : '';
  }

  columnHead(c) {
    const entry = this.app.data.run[c];
    const place = `left:${HEAD[0] + c * CELL[0]}px;top:${this.grid.scrollTop}px`;
    return html`<div class="col-head" data-col="${c}" title="Choose all pots of this drawing" data-here="${entry === this.app.current}"
      style="${place}">${entry.number}</div>`;
  }

  row(r, columns) {
    const pot = this.app.data.pots[r];
    const cells = this.cells(pot);
    return html`${columns.map((c) => this.cell(pot, r, c, cells))}<div class="row-head" data-row="${r}" title="Choose this pot in all drawings"
      style="left:${this.grid.scrollLeft}px;top:${HEAD[1] + r * CELL[1]}px"><span class="swatch" style="background:var(--pot-${pot.id})"></span><span
        class="pot-name">${pot.name}</span></div>`;
  }

  cell(pot, r, c, cells) {
    const entry = this.app.data.run[c];
    const cell = cells[c];
    const odd = known.has(this.name(entry)) ? this.odd(cells, c) : '';
    const holds = cell ? `${cell.count} patch${cell.count > 1 ? 'es' : ''}, ${cell.area} px²` : 'none';
    const label = `${pot.name} in drawing ${entry.number}: ${holds}${odd ? `, ${odd}` : ''}`;
    const marks = [this.chosen.has(`${r},${c}`) && 'chosen', this.at[0] === r && this.at[1] === c && 'at', odd && 'odd'].filter(Boolean);
    return html`<div class="cell ${marks.join(' ')}" role="gridcell" data-row="${r}" data-col="${c}" aria-label="${label}" title="${label}"
      style="left:${HEAD[0] + c * CELL[0]}px;top:${HEAD[1] + r * CELL[1]}px"><i
        style="${cell ? this.crop(entry, cell.box) : ''}"></i><span>${cell ? cell.count : '–'}</span>${odd && html`<b>${odd}</b>`}</div>`;
  }

  // The painted drawing as a background that shows a box of it with some room round it.
  crop(entry, [x0, y0, x1, y1]) {
    const { width, height } = this.app.data.shot;
    const [wide, high] = [CELL[0] - 6, CELL[1] - 18];
    const scale = wide / (Math.max(x1 - x0, (y1 - y0) * 1.6, 0.04 * width) * 1.25);
    const left = wide / 2 - ((x0 + x1) / 2) * scale;
    const up = high / 2 - ((y0 + y1) / 2) * scale;
    const url = this.app.colours.viewUrl(entry, 960, 'paint');
    return `background-image:url('${url}');background-size:${width * scale}px ${height * scale}px;background-position:${left}px ${up}px`;
  }

  // Two at a time, so that the drawing on the table never waits behind a long run.
  fetch(entry) {
    const name = this.name(entry);
    if (known.has(name) || this.asked.has(name)) return;
    if (!entry.painted) { known.set(name, { pots: {} }); return; }
    this.asked.add(name);
    this.line.push([name, entry]);
    this.next();
  }

  async next() {
    if (this.busy >= 2 || !this.line.length) return;
    this.busy += 1;
    const [name, entry] = this.line.shift();
    try { known.set(name, await get(`/api/drawings/${entry.id}/pots`)); } catch (error) { this.asked.delete(name); notice(error.message, true); }
    this.busy -= 1;
    clearTimeout(this.soon);
    this.soon = setTimeout(() => this.fill(), 40);
    this.next();
  }

  picked() {
    const keys = this.chosen.size ? [...this.chosen] : [this.at.join(',')];
    return keys.map((key) => key.split(',').map(Number));
  }

  click(event) {
    const { run, pots } = this.app.data;
    const head = event.target.closest('.row-head, .col-head');
    if (head) {
      // A whole pot, or a whole drawing: to replace a pot by another through the shot.
      const row = head.dataset.row;
      this.from = row !== undefined ? [Number(row), 0] : [0, Number(head.dataset.col)];
      this.at = this.from;
      this.extend(row !== undefined ? [Number(row), run.length - 1] : [pots.length - 1, Number(head.dataset.col)]);
      this.fill();
      this.grid.focus({ preventScroll: true });
      return;
    }
    const cell = event.target.closest('.cell');
    if (!cell) return;
    const [r, c] = [Number(cell.dataset.row), Number(cell.dataset.col)];
    if (event.shiftKey) this.extend([r, c]); else { this.chosen.clear(); this.from = [r, c]; }
    this.at = [r, c];
    this.fill();
    this.grid.focus({ preventScroll: true });
    if (!event.shiftKey) this.look();
  }

  // Back to the cells, unless the hand has gone elsewhere meanwhile.
  refocus() {
    const now = document.activeElement;
    if (!now || now === document.body || now.closest('.ledge')) this.grid.focus({ preventScroll: true });
  }

  extend(to) {
    const from = this.from || this.at;
    this.from = from;
    this.chosen.clear();
    for (let r = Math.min(from[0], to[0]); r <= Math.max(from[0], to[0]); r += 1) for (let c = Math.min(from[1], to[1]); c <= Math.max(from[1], to[1]);
      c += 1) this.chosen.add(`${r},${c}`);
  }

  // Shows on the paper what a cell stands for.
  async look() {
    const { app } = this;
    const entry = app.data.run[this.at[1]];
    const pot = app.data.pots[this.at[0]];
    this.stage.selectPot(pot.id);
    await app.go(entry.id);
    const cell = known.get(this.name(entry))?.pots[pot.id];
    if (cell?.at) app.table.lookAt(cell.at[0], cell.at[1], Math.max(0.9, app.table.view.zoom));
    this.refocus();
  }

  key(event) {
    const { run, pots } = this.app.data;
    const step = { ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1] }[event.key];
    const key = meant(event);
    if (step) {
      event.preventDefault();
      const to = [Math.min(pots.length - 1, Math.max(0, this.at[0] + step[0])), Math.min(run.length - 1, Math.max(0, this.at[1] + step[1]))];
      if (event.shiftKey) this.extend(to); else { this.chosen.clear(); this.from = to; }
      this.at = to;
      this.reveal();
      this.fill();
    } else if (event.key === 'Enter') { event.preventDefault(); this.look(); } else if (key === 'n') { this.nextOdd();
    } else if (KEYS[key] && !event.ctrlKey) { this.act(KEYS[key]); } else return;
    event.stopPropagation();
  }

  reveal() {
    const { grid } = this;
    const [x, y] = [this.at[1] * CELL[0], this.at[0] * CELL[1]];
    if (x < grid.scrollLeft) grid.scrollLeft = x;
    if (x + CELL[0] + HEAD[0] > grid.scrollLeft + grid.clientWidth) grid.scrollLeft = x + CELL[0] + HEAD[0] - grid.clientWidth;
    if (y < grid.scrollTop) grid.scrollTop = y;
    if (y + CELL[1] + HEAD[1] > grid.scrollTop + grid.clientHeight) grid.scrollTop = y + CELL[1] + HEAD[1] - grid.clientHeight;
  }

  // The next cell that stands out, pot by pot through the shot.
  nextOdd() {
    const { run, pots } = this.app.data;
    for (const entry of run) this.fetch(entry);
    const total = run.length * pots.length;
    const start = this.at[0] * run.length + this.at[1];
    for (let k = 1; k <= total; k += 1) {
      const n = (start + k) % total;
      const [r, c] = [Math.floor(n / run.length), n % run.length];
      if (this.odd(this.cells(pots[r]), c)) { this.at = [r, c]; this.from = this.at; this.chosen.clear(); this.reveal(); this.fill(); this.look(); return; }
    }
    notice('Nothing stands out in the ledger');
  }

  async act(act) {
    const { app } = this;
    let cells = this.picked().map(([r, c]) => ({ drawing: app.data.run[c].id, pot: app.data.pots[r].id }));
    let to = null;
    if (act !== 'accept') {
      const open = cells.filter((cell) => !this.stage.locked.has(cell.pot));
      if (!open.length) { this.stage.closed(cells[0].pot); return; }
      cells = open;
    }
    if (act === 'pour') {
      to = this.stage.pot;
      if (cells.every((cell) => cell.pot === to)) { notice('Choose the other pot in the dock first, then pour it into these cells'); return; }
    }
    try {
      const done = await change('levels', app.level, 'repaint', { cells, act, to });
      const words = { accept: 'accepted', pour: `now ${app.data.pots.find((p) => p.id === to)?.name.toLowerCase()}`, lift: 'lifted off' }[act];
      if (!done.again) notice(`${done.things} patch${done.things === 1 ? '' : 'es'} in ${done.drawings.length} drawing${done.drawings.length === 1 ? ''
        : 's'} ${words}; undone as one`);
      await app.sync.refresh();
      await app.table.draw();
      this.refocus();
    } catch (error) { notice(error.message, true); }
  }
}
