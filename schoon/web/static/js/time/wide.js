// The wide sheet: all levels as columns, a span chosen by hand or keyboard, and what is done to it.

import { notice, upload } from '../api.js';
import { fill, html } from '../dom.js';
import { Acts } from './acts.js';
import { Sets } from './sets.js';
import { COLUMN, Drawn, HEAD, placeAt, ROW, RULER, rowsOf, widthOf } from './drawn.js';

const $ = (id) => document.getElementById(id);
// Px that the acts need beside each other.
const LEAST = 476;
const STEPS = { ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1] };

export class Wide {
  constructor(app) {
    this.app = app;
    this.drawn = new Drawn($('wide-canvas'));
    // The span as rows and columns: where it was begun and where it ends.
    this.from = null;
    this.to = null;
    this.acts = new Acts(app, this);
    this.sets = new Sets(app, this);
    $('sheet-wide').addEventListener('click', () => this.turn());
    $('sheet-file').addEventListener('change', (event) => this.read(event.target));
    const scroll = $('wide-scroll');
    scroll.addEventListener('scroll', () => this.draw());
    scroll.addEventListener('pointerdown', (event) => this.down(event));
    scroll.addEventListener('dblclick', (event) => this.open(event));
    scroll.addEventListener('keydown', (event) => { if (this.press(event)) { event.preventDefault(); event.stopPropagation(); } });
    new ResizeObserver(() => this.draw()).observe(scroll);
    for (const what of ['run', 'time', 'frame']) app.on(what, () => this.show());
    this.turn(sessionStorage.sheetWide === 'yes');
  }

  get on() { return document.body.classList.contains('sheet-wide'); }

  turn(on = !this.on) {
    document.body.classList.toggle('sheet-wide', on);
    $('wide').hidden = !on;
    $('sheet-wide').setAttribute('aria-pressed', String(on));
    $('sheet-wide').setAttribute('aria-label', on ? 'narrow' : 'wide');
    sessionStorage.sheetWide = on ? 'yes' : '';
    document.body.style.setProperty('--sheet',
      on ? `${Math.max(LEAST, Math.min(widthOf(this.levels.length) + 14, Math.round(window.innerWidth * 0.62)))}px` : '84px');
    if (!on) return;
    this.show();
    this.focus();
  }

  focus() { $('wide-scroll').focus({ preventScroll: true }); }

  // Rear at the left, front at the right.
  get levels() { return this.app.data.levels; }

  get span() { return this.from && [Math.min(this.from.frame, this.to.frame), Math.max(this.from.frame, this.to.frame)]; }

  get columns() { return this.from && [Math.min(this.from.column, this.to.column), Math.max(this.from.column, this.to.column)]; }

  get chosenLevels() { return this.levels.slice(this.columns[0], this.columns[1] + 1); }

  get ids() { return this.chosenLevels.map((level) => level.id); }

  // The drawings that stand in the span, each once.
  drawings() {
    const [first, last] = this.span;
    const seen = this.chosenLevels.flatMap((level) => level.spans.filter(([at, count]) => at <= last && at + count > first).map(([, , id]) => id));
    return [...new Set(seen)];
  }

  // A sheet from a file; the levels it names change, and are undone as one.
  async read(field) {
    const { app } = this;
    const form = new FormData();
    form.append('file', field.files[0]);
    field.value = '';
    try {
      const { levels } = await upload(`/api/shots/${app.data.shot.id}/sheet`, form);
      app.sync.undoes('times');
      await app.sync.refresh();
      notice(`Read from the file: ${levels.join(', ')}`);
    } catch (error) { notice(error.message, true); }
  }

  // ---- what is shown

  get state() {
    const { data, frame } = this.app;
    const notes = Object.values(data.notes).flatMap((note) => {
      if (note.first) return [{ first: note.first, last: note.last ?? note.first, words: note.words || 'picture' }];
      const at = note.drawing && data.spans.find(([, , id]) => id === note.drawing);
      return at ? [{ first: at[0], last: at[0], words: note.words || 'picture' }] : [];
    });
    return {
      frames: data.shot.frames, fps: data.shot.fps, levels: this.levels, own: data.shot.level_id, notes, frame, framing: data.framing.notches,
        meant: data.meant,
      span: this.span, columns: this.columns, tried: Boolean(this.acts.waiting),
    };
  }

  show() {
    if (!this.on) return;
    $('wide-room').style.height = `${HEAD + rowsOf(this.app.data.shot.frames) * ROW}px`;
    this.draw();
    this.sets.show();
    if (!this.acts.waiting) this.says();
  }

  draw() {
    if (!this.on) return;
    const scroll = $('wide-scroll');
    this.drawn.draw(this.state, Math.max(scroll.clientWidth, widthOf(this.levels.length)), scroll.clientHeight, scroll.scrollTop);
  }

  says() {
    const { span, columns } = this;
    const box = $('wide-says');
    if (!span) { box.textContent = 'Drag over frames, or Shift and the arrows, to choose a span; drag along the frame numbers to scrub'; return; }
    const names = this.chosenLevels.map((level) => level.name).join(', ');
    const length = span[1] - span[0] + 1;
    const { fps } = this.app.data.shot;
    const what = columns[0] === columns[1] ? this.standing(this.levels[columns[0]], this.to.frame) : '';
    fill(box, html`<b>${names}</b> frame${length > 1 ? `s ${span[0]} to ${span[1]}` : ` ${span[0]}`} · ${length} frame${length > 1 ? 's'
      : ''}, ${(length / fps).toFixed(2)} s${what}`);
  }

  standing(level, frame) {
    const here = level.spans.find(([at, count]) => frame >= at && frame < at + count);
    return here ? ` · drawing ${level.drawings[here[2]]?.[0] ?? 'new'}` : ' · nothing';
  }

  // ---- choosing

  at(event) {
    const box = $('wide-canvas').getBoundingClientRect();
    return placeAt(event.clientX - box.left, event.clientY - box.top, $('wide-scroll').scrollTop, this.levels.length);
  }

  down(event) {
    const scroll = $('wide-scroll');
    const place = this.at(event);
    if (event.button || event.clientX > scroll.getBoundingClientRect().left + scroll.clientWidth) return;
    event.preventDefault();
    this.focus();
    if (!place.frame) { this.level(place.column); return; }
    scroll.setPointerCapture(event.pointerId);
    const scrubs = place.column < 0;
    const take = (e, begin) => {
      const now = this.at(e);
      const frame = Math.min(Math.max(1, now.frame), this.app.data.shot.frames);
      if (scrubs) { this.app.seek(frame); return; }
      const column = Math.min(Math.max(0, now.column), this.levels.length - 1);
      if (begin && !event.shiftKey) this.from = { frame, column };
      this.from ??= { frame, column };
      this.choose({ frame, column });
    };
    take(event, true);
    const move = (e) => take(e, false);
    scroll.addEventListener('pointermove', move);
    const end = () => { scroll.removeEventListener('pointermove', move); if (!scrubs) this.app.seek(this.to.frame); };
    scroll.addEventListener('pointerup', end, { once: true });
    scroll.addEventListener('pointercancel', end, { once: true });
  }

  // A level's head chooses all of its frames.
  level(column) {
    if (column < 0 || column >= this.levels.length) return;
    this.from = { frame: 1, column };
    this.choose({ frame: this.app.data.shot.frames, column });
  }

  choose(to) {
    this.to = to;
    this.draw();
    if (!this.acts.waiting) this.says();
  }

  chooseRows(first, last) {
    this.from = { ...this.from, frame: first };
    this.choose({ ...this.to, frame: last });
  }

  // Goes to the drawing that stands there, on its own level.
  open(event) {
    const { frame, column } = this.at(event);
    const level = this.levels[column];
    if (level && frame) this.goTo(level, frame);
  }

  goTo(level, frame) {
    const { app } = this;
    const here = level.spans.find(([at, count]) => frame >= at && frame < at + count);
    if (!here) return;
    if (level.id === app.level) app.go(here[2], true);
    else window.location.assign(`/shots/${app.data.shot.id}/${app.data.stage}?level=${level.id}#d=${here[2]}`);
  }

  press(event) {
    if (this.sets.press(event) || this.acts.press(event)) return true;
    const { frames } = this.app.data.shot;
    const now = this.to ?? { frame: this.app.frame, column: Math.max(0, this.levels.findIndex((l) => l.id === this.app.level)) };
    const page = Math.max(1, Math.floor(($('wide-scroll').clientHeight - HEAD) / ROW) - 1);
    const step = STEPS[event.key] ?? { PageUp: [-page, 0], PageDown: [page, 0], Home: [-frames, 0], End: [frames, 0] }[event.key];
    if (event.key === 'Enter' && this.to) { this.goTo(this.levels[this.to.column], this.to.frame); return true; }
    if (event.key === 'Escape') {
      if (this.from) { this.from = null; this.to = null; this.draw(); this.says(); } else this.turn(false);
      return true;
    }
    if (!step || event.altKey || event.ctrlKey) return false;
    const to = {
      frame: Math.min(Math.max(1, now.frame + (this.to || event.shiftKey ? step[0] : 0)), frames),
      column: Math.min(Math.max(0, now.column + (this.to ? step[1] : 0)), this.levels.length - 1),
    };
    if (!event.shiftKey || !this.from) this.from = event.shiftKey ? now : to;
    this.choose(to);
    this.reveal(to);
    this.app.seek(to.frame);
    return true;
  }

  reveal({ frame, column }) {
    const scroll = $('wide-scroll');
    const y = (frame - 1) * ROW;
    if (y < scroll.scrollTop) scroll.scrollTop = y;
    else if (y + ROW > scroll.scrollTop + scroll.clientHeight - HEAD) scroll.scrollTop = y + ROW - scroll.clientHeight + HEAD;
    const x = RULER + column * COLUMN;
    if (x + COLUMN > scroll.scrollLeft + scroll.clientWidth) scroll.scrollLeft = x + COLUMN - scroll.clientWidth;
    else if (x < scroll.scrollLeft + RULER) scroll.scrollLeft = Math.max(0, x - RULER);
  }
}
