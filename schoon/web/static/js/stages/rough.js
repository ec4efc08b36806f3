// Rough: look at the motion, and draw a tighter pass over it, or the first one on an empty sheet.

import { notice } from '../api.js';
import { fill, html } from '../dom.js';
import { Board } from '../rough/board.js';
import { Passes } from '../rough/passes.js';
import { Pencil } from '../rough/pencil.js';
import { Piece } from '../rough/piece.js';
import { pressure, trailDrag } from '../shot/pen.js';
import { make } from '../shot/paper.js';
import { rubDrag } from '../shot/rub.js';
import { Stage } from './stage.js';
import { strip } from './strip.js';

const RUB = { all: 'all of the rough', pass: 'the upper pass', base: 'what was taken in' };

export class RoughStage extends Stage {
  constructor(app, name) {
    super(app, name);
    this.look = 'rough';
    this.plays = 'rough';
    this.coloured = false;
    this.hints = [['shift+n', 'new pass'], ['enter', 'lay the piece down']];
    this.board = new Board(app);
    this.passes = new Passes(app, this);
    this.piece = new Piece(app, this);
    this.rubs = 'all';
    this.reach = Number(localStorage.rubReach) || 14;
    this.tools = [
      { id: 'pencil', pen: 'Pencil', down: (event, at) => this.draws(event, at) },
      { id: 'rub', pen: 'Rub out', down: (event, at) => this.rub(at) },
      { id: 'piece', pen: 'Piece: draw round what is to be moved', down: (event, at) => this.ring(at) },
    ];
  }

  rough() { return 'full'; }

  ink() { return []; }

  without(entry, line, flip) {
    if (flip || entry !== this.app.current) { this.board.hide(); return ''; }
    return this.passes.of(entry, line)?.id ?? '';
  }

  options(slip) {
    fill(slip, html`<label data-of="rub">rubs <select id="rub-on"
      autocomplete="off">${Object.entries(RUB).map(([v, words]) => html`<option value="${v}">${words}</option>`)}</select></label>
      <label data-of="rub">broad <input id="rub-reach" type="range" min="2" max="120" value="${this.reach}" autocomplete="off"></label>`);
    slip.querySelector('#rub-on').addEventListener('change', ({ target }) => { this.rubs = target.value; });
    slip.querySelector('#rub-reach').addEventListener('input', ({ target }) => { this.reach = localStorage.rubReach = Number(target.value); });
  }

  drawn() {
    const { app } = this;
    this.passes.show();
    this.board.place(app.table.view.matrix());
    this.board.show(app.current, this.passes.of(app.current, { sketch: this.passes.sketch() }));
  }

  viewChanged() { this.board?.place(this.app.table.view.matrix()); this.piece?.show(); }

  left() { this.piece.end(); this.board.hide(); }

  stepped() { this.board.on = ''; }

  next() { return this.app.goToNext((d) => d.retaken); }

  // ---- the pen

  draws(event, at) {
    const { app, board, passes } = this;
    if (app.levels.locked) { notice(`${app.data.shot.level} is locked; open it under Levels`); return null; }
    const entry = app.current;
    const known = board.on.startsWith(`${entry.id}.`) ? board.on.slice(`${entry.id}.`.length) : '';
    const id = known || passes.begin();
    this.pencil ??= new Pencil(passes.colour, passes.width, passes.grain);
    const { pencil } = this;
    let from = null;
    let left = 0;
    const to = (e, [x, y]) => {
      const { radius, strength } = pencil.lead(e, pressure(e));
      const place = [x, y, radius, strength];
      left = from ? pencil.way(board.ink, from, place, left) : pencil.way(board.ink, place, place);
      board.touch(x, y, radius + 2);
      if (from) board.touch((x + from[0]) / 2, (y + from[1]) / 2, Math.hypot(x - from[0], y - from[1]) / 2 + radius + 2);
      from = place;
    };
    to(event, at);
    return {
      move(e) {
        const started = performance.now();
        const all = e.getCoalescedEvents?.() || [];
        for (const step of all.length ? all : [e]) to(step, app.table.view.toPaper(step.clientX, step.clientY));
        board.took = performance.now() - started;
      },
      up() { board.keep(entry, id); },
      cancel() { board.keep(entry, id); },
      // A second finger has come: it was no stroke.
      drop() { board.touched.clear(); board.on = ''; app.table.draw(); },
    };
  }

  rub(at) {
    const { board } = this;
    return rubDrag(this.app, at, this.reach, { do: 'rub', on: this.rubs }, { settled: () => board.settled(), after: async () => { board.on = ''; } });
  }

  ring(at) {
    const { app, piece } = this;
    if (piece.on) return piece.down(at);
    const node = make('path', { class: 'lasso' }, app.table.paper.layers['pen-layer']);
    return trailDrag(app, at, node, 3, true, (path) => { node.remove(); piece.cut(path); });
  }

  key(key) {
    if (this.piece.on && key === 'enter') this.piece.lay(true);
    else if (this.piece.on && key === 'escape') this.piece.end();
    else if (key === 'shift+n') this.passes.begin();
    else return false;
    return true;
  }

  ledge() {
    const { run, shot } = this.app.data;
    this.heads([['run', 'Run']], 'run', html`<span class="quiet">${run.length} drawing${run.length === 1 ? '' : 's'}, ${shot.frames} frames</span>`);
    strip(this.app, 'rough', this);
  }
}
