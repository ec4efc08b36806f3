// The ledger: rows are pots, columns drawings, each cell a crop of what carries that pot. Only what is in sight is made.

import { fill, html } from '../dom.js';
import { change, get, notice } from '../api.js';

const CELL = [92, 62];
const HEAD = [132, 22];
const known = new Map();

// What is odd about a cell, in a word, or ''.
function oddity(cells, k) {
  const here = cells[k];
  const counts = cells.filter(Boolean).map((c) => c.count).sort((a, b) => a - b);
  if (!counts.length) return '';
  const usual = counts[Math.floor(counts.length / 2)];
  const around = [cells[k - 1], cells[k + 1]];
  if (!here) return around.filter(Boolean).length === 2 || (counts.length > 0.7 * cells.length && around.some(Boolean)) ? 'missing' : '';
  if (here.unsure) return `${here.unsure} ?`;
  const near = around.filter(Boolean);
  if (near.length) {
    const area = near.reduce((sum, c) => sum + c.area, 0) / near.length;
    if (here.area > 1.9 * area) return 'big';
    if (here.area < 0.5 * area) return 'small';
    if (near.length === 2 && here.count > Math.max(near[0].count, near[1].count)) return 'extra';
    if (near.length === 2 && here.count < Math.min(near[0].count, near[1].count)) return 'fewer';
  }
  return !near.length && usual && cells.length > 2 ? 'lone' : '';
}

export class Ledger {
  constructor(app, stage) {
    this.app = app; this.stage = stage;
    this.at = [0, 0];
    this.chosen = new Set();
    this.asked = new Set();
    this.line = [];
    this.busy = 0;
    this.body = document.getElementById('ledge-body');
  }

  name(entry) { return `${entry.id}@${entry.revision}`; }

  cells(pot) { return this.app.data.run.map((d) => known.get(this.name(d))?.pots[pot.id] || null); }

  show(acts) {
    const { body } = this;
    fill(acts, html`<span class="quiet" id="cells-chosen"></span><button id="cell-accept" title="Unsure patches stand as they are">Accept <kbd>J</kbd></button><button id="cell-pour">Pour instead <kbd>F</kbd></button><button id="cell-lift">Lift off <kbd>X</kbd></button>`);
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
    const parts = [html`<div class="extent" style="width:${HEAD[0] + run.length * CELL[0]}px;height:${HEAD[1] + pots.length * CELL[1]}px"></div>`];
    for (let c = first; c < last; c += 1) {
      this.fetch(run[c]);
      parts.push(html`<div class="col-head" data-col="${c}" title="Choose all pots of this drawing" data-here="${run[c] === app.current}" style="left:${HEAD[0] + c * CELL[0]}px;top:${grid.scrollTop}px">${run[c].number}</div>`);
    }
    const { width, height } = app.data.shot;
    for (let r = top; r < bottom; r += 1) {
      const cells = this.cells(pots[r]);
      const y = HEAD[1] + r * CELL[1];
      for (let c = first; c < last; c += 1) {
        const entry = run[c];
        const cell = cells[c];
        const odd = known.has(this.name(entry)) ? oddity(cells, c) : '';
        const label = `${pots[r].name} in drawing ${entry.number}: ${cell ? `${cell.count} patch${cell.count > 1 ? 'es' : ''}, ${cell.area} px²` : 'none'}${odd ? `, ${odd}` : ''}`;
        let crop = '';
        if (cell) {
          const [x0, y0, x1, y1] = cell.box;
          const side = Math.max(x1 - x0, (y1 - y0) * 1.6, 0.04 * width) * 1.25;
          const scale = (CELL[0] - 6) / side;
          const left = (CELL[0] - 6) / 2 - ((x0 + x1) / 2) * scale;
          const up = 44 / 2 - ((y0 + y1) / 2) * scale;
          crop = `background-image:url('${app.viewUrl(entry, 960, 'paint')}');background-size:${width * scale}px ${height * scale}px;background-position:${left}px ${up}px`;
        }
        parts.push(html`<div class="cell ${this.chosen.has(`${r},${c}`) ? 'chosen' : ''} ${this.at[0] === r && this.at[1] === c ? 'at' : ''} ${odd ? 'odd' : ''}" role="gridcell" data-row="${r}" data-col="${c}" aria-label="${label}" title="${label}" style="left:${HEAD[0] + c * CELL[0]}px;top:${y}px"><i style="${crop}"></i><span>${cell ? cell.count : '–'}</span>${odd ? html`<b>${odd}</b>` : ''}</div>`);
      }
      parts.push(html`<div class="row-head" data-row="${r}" title="Choose this pot in all drawings" style="left:${grid.scrollLeft}px;top:${y}px"><span class="swatch" style="background:var(--pot-${pots[r].id})"></span><span class="pot-name"></span></div>`);
    }
    parts.push(html`<div class="corner" style="left:${grid.scrollLeft}px;top:${grid.scrollTop}px">pot</div>`);
    fill(grid, parts);
    grid.querySelectorAll('.pot-name').forEach((node, k) => { node.textContent = pots[top + k].name; });
    const words = document.getElementById('cells-chosen');
    if (words) words.textContent = this.picked().length > 1 ? `${this.picked().length} cells` : '';
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
    for (let r = Math.min(from[0], to[0]); r <= Math.max(from[0], to[0]); r += 1) for (let c = Math.min(from[1], to[1]); c <= Math.max(from[1], to[1]); c += 1) this.chosen.add(`${r},${c}`);
  }

  // Shows on the paper what a cell stands for.
  async look() {
    const { app } = this;
    const entry = app.data.run[this.at[1]];
    const pot = app.data.pots[this.at[0]];
    this.stage.selectPot(pot.id);
    await app.go(entry.id);
    const cell = known.get(this.name(entry))?.pots[pot.id];
    if (cell?.at) app.lookAt(cell.at[0], cell.at[1], Math.max(0.9, app.view.zoom));
    this.refocus();
  }

  key(event) {
    const { run, pots } = this.app.data;
    const step = { ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1] }[event.key];
    const key = event.key.toLowerCase();
    if (step) {
      event.preventDefault();
      const to = [Math.min(pots.length - 1, Math.max(0, this.at[0] + step[0])), Math.min(run.length - 1, Math.max(0, this.at[1] + step[1]))];
      if (event.shiftKey) this.extend(to); else { this.chosen.clear(); this.from = to; }
      this.at = to;
      this.reveal();
      this.fill();
    } else if (event.key === 'Enter') { event.preventDefault(); this.look(); } else if (key === 'n') { this.nextOdd(); } else if (['j', 'f', 'x'].includes(key) && !event.ctrlKey) { this.act({ j: 'accept', f: 'pour', x: 'lift' }[key]); } else return;
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
      if (oddity(this.cells(pots[r]), c)) { this.at = [r, c]; this.from = this.at; this.chosen.clear(); this.reveal(); this.fill(); this.look(); return; }
    }
    notice('Nothing stands out in the ledger');
  }

  async act(act) {
    const { app } = this;
    let cells = this.picked().map(([r, c]) => ({ drawing: app.data.run[c].id, pot: app.data.pots[r].id }));
    let to = null;
    if (act !== 'accept') {
      const open = cells.filter((cell) => !this.stage.locked(cell.pot));
      if (!open.length) { this.stage.closed(cells[0].pot); return; }
      cells = open;
    }
    if (act === 'pour') {
      to = this.stage.pot();
      if (cells.every((cell) => cell.pot === to)) { notice('Choose the other pot in the dock first, then pour it into these cells'); return; }
    }
    try {
      const done = await change('levels', app.data.shot.level_id, 'repaint', { cells, act, to });
      const words = { accept: 'accepted', pour: `now ${app.data.pots.find((p) => p.id === to)?.name.toLowerCase()}`, lift: 'lifted off' }[act];
      if (!done.again) notice(`${done.things} patch${done.things === 1 ? '' : 'es'} in ${done.drawings.length} drawing${done.drawings.length === 1 ? '' : 's'} ${words}; undone as one`);
      await app.refresh();
      await app.draw();
      this.refocus();
    } catch (error) { notice(error.message, true); }
  }
}
