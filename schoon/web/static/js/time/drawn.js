// The wide sheet as a picture: frames run down, levels stand side by side, notes at the right. Only what is seen is drawn.

import { readTints, tints } from './tints.js';

export const ROW = 19;
export const HEAD = 42;
export const RULER = 74;
export const COLUMN = 88;
const NOTES = 150;
const BEYOND = 12;
const MONO = '"Schoon Mono", monospace';
const SANS = '"Schoon Sans", sans-serif';

export const rowsOf = (frames) => frames + BEYOND;
export const widthOf = (levels) => RULER + levels * COLUMN + NOTES;

// What a place of the canvas is: { frame, column }, column -1 for the ruler, the number of levels for the notes.
export function placeAt(x, y, scrolled, levels) {
  const column = x < RULER ? -1 : Math.min(levels, Math.floor((x - RULER) / COLUMN));
  return { frame: y < HEAD ? 0 : 1 + Math.floor((y - HEAD + scrolled) / ROW), column };
}

export class Drawn {
  constructor(canvas) { this.canvas = canvas; }

  // state: see Wide.state.
  draw(state, width, height, scrolled) {
    const { canvas } = this;
    readTints();
    const dots = window.devicePixelRatio || 1;
    if (canvas.width !== Math.round(width * dots) || canvas.height !== Math.round(height * dots)) {
      Object.assign(canvas, { width: Math.round(width * dots), height: Math.round(height * dots) });
      Object.assign(canvas.style, { width: `${width}px`, height: `${height}px` });
    }
    this.pen = canvas.getContext('2d');
    const { pen } = this;
    pen.setTransform(dots, 0, 0, dots, 0, 0);
    pen.clearRect(0, 0, width, height);
    this.top = scrolled - HEAD;
    this.first = Math.max(1, Math.floor(scrolled / ROW));
    this.last = Math.min(rowsOf(state.frames), Math.ceil((scrolled + height - HEAD) / ROW) + 1);
    this.width = width;
    pen.save();
    pen.beginPath();
    pen.rect(0, HEAD, width, height - HEAD);
    pen.clip();
    this.paper(state);
    state.levels.forEach((level, k) => { this.level(state, level, k); this.notches(level.place.notches, RULER + (k + 1) * COLUMN - 6); });
    this.notches(state.framing, RULER - 4);
    this.notes(state);
    this.chosen(state);
    this.ends(state);
    pen.restore();
    this.head(state);
  }

  y(frame) { return (frame - 1) * ROW - this.top; }

  line(x0, y0, x1, y1, colour, weight = 1) {
    const { pen } = this;
    pen.strokeStyle = colour;
    pen.lineWidth = weight;
    pen.beginPath();
    pen.moveTo(x0, y0);
    pen.lineTo(x1, y1);
    pen.stroke();
  }

  text(words, x, y, colour, font, align = 'left') {
    const { pen } = this;
    Object.assign(pen, { fillStyle: colour, font, textAlign: align, textBaseline: 'middle' });
    pen.fillText(words, x, y);
  }

  paper({ fps, frames, levels, tried }) {
    const { pen } = this;
    const wide = RULER + levels.length * COLUMN;
    pen.fillStyle = tried ? tints.TRIED : tints.PAPER;
    pen.fillRect(RULER, HEAD, wide - RULER, this.y(frames + 1) - HEAD);
    const second = Math.round(fps);
    for (let frame = this.first; frame <= this.last; frame += 1) {
      const y = Math.round(this.y(frame)) + 0.5;
      const whole = (frame - 1) % second === 0;
      const counted = (frame - 1) % 4 === 0;
      this.line(whole ? 0 : RULER - (counted ? 8 : 4), y, this.width, y, whole ? tints.PALE : counted ? tints.LINE : tints.FAINT);
      if (frame <= frames) {
        this.text(String(frame), RULER - 12, y + ROW / 2, counted ? tints.INK : tints.PALE, `13px ${MONO}`, 'right');
        if (whole && frame > 1) this.text(`${(frame - 1) / second} s`, 6, y + ROW / 2, tints.SOFT, `13px ${SANS}`);
      }
    }
    for (let k = 0; k <= levels.length; k += 1) this.line(RULER + k * COLUMN + 0.5, HEAD, RULER + k * COLUMN + 0.5, this.y(this.last + 1), tints.LINE);
  }

  // Entries of a level that are in sight; a drawing that stood before is written in brackets: it is the same paper again.
  level(state, level, k) {
    const x = RULER + k * COLUMN;
    const seen = new Set();
    for (const [first, count, what] of level.sheet) {
      const again = seen.has(what);
      if (typeof what === 'number') seen.add(what);
      if (first > this.last || first + count < this.first) continue;
      const end = this.y(first + count);
      if (what === null) this.cross(x + COLUMN / 2, this.y(first) + ROW / 2, tints.SOFT);
      else if (what.again) this.repeat(level, what.again, first, count, x);
      else this.hold(level.drawings[what], again, x, this.y(first), end, count, tints.INK, state.meant.includes(what));
    }
  }

  hold(drawing, again, x, y, end, count, colour, meant = false) {
    const { pen } = this;
    const middle = x + COLUMN / 2;
    const [number, kind, blank] = drawing || ['new', 'inbetween', true];
    const words = again ? `(${number})` : number;
    if (count > 1) {
      this.line(middle, y + ROW - 1, middle, end - 4, colour, 1.3);
      this.line(middle - 4, end - 4, middle + 4, end - 4, colour, 1.3);
    }
    this.text(words, middle, y + ROW / 2 + 0.5, colour, `${kind === 'key' ? '700 ' : ''}13px ${MONO}`, 'center');
    const half = pen.measureText(words).width / 2;
    pen.strokeStyle = colour;
    pen.lineWidth = 1.2;
    if (kind === 'key') {
      pen.beginPath();
      pen.ellipse(middle, y + ROW / 2, half + 5, ROW / 2 - 1, 0, 0, 2 * Math.PI);
      pen.stroke();
    }
    if (kind === 'extreme') this.line(middle - half, y + 2.5, middle + half, y + 2.5, colour, 1.2);
    if (kind === 'breakdown') this.line(middle - half, y + ROW - 2.5, middle + half, y + ROW - 2.5, colour, 1.2);
    // As it is on purpose: a dot before it.
    if (meant) {
      pen.beginPath();
      pen.arc(middle - half - 10, y + ROW / 2, 2.4, 0, 2 * Math.PI);
      pen.fill();
    }
    // An empty sheet: nothing was drawn on it yet.
    if (blank) pen.strokeRect(middle + half + 6.5, y + ROW / 2 - 5.5, 8, 10);
  }

  cross(x, y, colour) {
    this.line(x - 4, y - 4, x + 4, y + 4, colour, 1.3);
    this.line(x - 4, y + 4, x + 4, y - 4, colour, 1.3);
  }

  // What runs again is written out pale beside a stem that bends back to where it began.
  repeat(level, from, first, count, x) {
    const { pen } = this;
    const end = this.y(first + count);
    const y = this.y(first);
    for (const [at, held, drawing] of level.spans) {
      const [a, b] = [Math.max(at, first), Math.min(at + held, first + count)];
      if (a < b && a <= this.last && b >= this.first) this.hold([level.drawings[drawing]?.[0] ?? '', 'inbetween'], false, x + 12, this.y(a), this.y(b),
        b - a, tints.PALE);
    }
    pen.strokeStyle = tints.INK;
    pen.lineWidth = 1.3;
    pen.beginPath();
    pen.moveTo(x + 14, end - 4);
    pen.lineTo(x + 14, y + 8);
    pen.quadraticCurveTo(x + 14, y + 1, x + 20, y + 1);
    pen.quadraticCurveTo(x + 26, y + 1, x + 26, y + 8);
    pen.moveTo(x + 23, y + 5);
    pen.lineTo(x + 26, y + 9);
    pen.lineTo(x + 29, y + 5);
    pen.stroke();
    this.text(`${from}`, x + 4, y + ROW / 2 + (y < HEAD ? ROW : 0), tints.SOFT, `13px ${MONO}`);
  }

  // Placement and framing: a notch at a frame, a thin line as long as things move between them.
  notches(found, x) {
    const frames = Object.keys(found).map(Number).sort((a, b) => a - b);
    if (!frames.length) return;
    const { pen } = this;
    this.line(x, this.y(frames[0]) + ROW / 2, x, this.y(frames.at(-1)) + ROW / 2, tints.ALARM, 1);
    pen.fillStyle = tints.ALARM;
    for (const frame of frames) {
      const y = this.y(frame) + ROW / 2;
      pen.beginPath();
      pen.moveTo(x - 4, y);
      pen.lineTo(x, y - 4);
      pen.lineTo(x + 4, y);
      pen.lineTo(x, y + 4);
      pen.fill();
    }
  }

  notes({ notes, levels }) {
    const x = RULER + levels.length * COLUMN + 8;
    const { pen } = this;
    pen.save();
    pen.beginPath();
    pen.rect(x, HEAD, this.width - x, 4000);
    pen.clip();
    for (const { first, last, words } of notes) {
      const y = this.y(first);
      if (last > first) this.line(x - 4, y + 3, x - 4, this.y(last + 1) - 3, tints.PALE, 1.5);
      this.text(words, x + 2, y + ROW / 2, tints.INK, `13px ${SANS}`);
    }
    pen.restore();
  }

  chosen({ span, columns, frame, levels }) {
    const { pen } = this;
    if (span) {
      const [a, b] = columns;
      const box = [RULER + a * COLUMN + 1, this.y(span[0]), (b - a + 1) * COLUMN - 1, (span[1] - span[0] + 1) * ROW];
      pen.fillStyle = tints.GLOW;
      pen.fillRect(...box);
      pen.strokeStyle = tints.TEAL;
      pen.lineWidth = 1.6;
      pen.strokeRect(...box);
    }
    const y = this.y(frame);
    pen.fillStyle = tints.TEAL;
    pen.beginPath();
    pen.moveTo(RULER - 9, y + 3);
    pen.lineTo(RULER - 1, y + ROW / 2);
    pen.lineTo(RULER - 9, y + ROW - 3);
    pen.fill();
    this.line(RULER, y + ROW - 0.5, RULER + levels.length * COLUMN, y + ROW - 0.5, tints.TEAL);
    this.line(RULER, y + 0.5, RULER + levels.length * COLUMN, y + 0.5, tints.TEAL);
  }

  // The length of the shot: a rule that nothing passes. What was pushed beyond it is kept and seen faintly.
  ends({ frames }) {
    const { pen } = this;
    const y = Math.round(this.y(frames + 1));
    pen.fillStyle = tints.CLOUD;
    pen.fillRect(0, y, this.width, 4000);
    this.line(0, y, this.width, y, tints.INK, 3);
  }

  head({ levels, own }) {
    const { pen } = this;
    pen.fillStyle = tints.HEAD;
    pen.fillRect(0, 0, this.width, HEAD);
    this.text('frame', RULER - 12, HEAD - 12, tints.SOFT, `13px ${SANS}`, 'right');
    levels.forEach((level, k) => {
      pen.save();
      pen.beginPath();
      pen.rect(RULER + k * COLUMN + 3, 0, COLUMN - 6, HEAD);
      pen.clip();
      this.text(level.name, RULER + (k + 0.5) * COLUMN, HEAD - 12, level.id === own ? tints.TEAL : tints.INK,
        `${level.id === own ? '700 ' : ''}13px ${SANS}`, 'center');
      if (level.locked) this.text('locked', RULER + (k + 0.5) * COLUMN, 12, tints.SOFT, `13px ${SANS}`, 'center');
      pen.restore();
    });
    this.text('notes', RULER + levels.length * COLUMN + 10, HEAD - 12, tints.SOFT, `13px ${SANS}`);
    this.line(0, HEAD - 0.5, this.width, HEAD - 0.5, tints.PALE);
  }
}
