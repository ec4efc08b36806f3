// What can be done to the chosen span of the sheet. Every act is asked of the server first where it would push something
// off the end of the shot, or if acts are to be tried: then it stands in the sheet, and plays, until it is kept or dropped.

import { fill, html } from '../dom.js';
import { notice, post } from '../api.js';
import { change } from '../edits/queue.js';
import { reachOf } from './alive.js';

const $ = (id) => document.getElementById(id);

// Rows of what they are about: [id, words, key, what is sent by the span and the number n]
const ROWS = {
  hold: [
    ['ones', 'ones', '1', () => ['on-each', { hold: 1 }]], ['twos', 'twos', '2', () => ['on-each', { hold: 2 }]],
    ['threes', 'threes', '3', () => ['on-each', { hold: 3 }]], ['fours', 'fours', '4', () => ['on-each', { hold: 4 }]],
    ['each', 'n', 'n', (acts) => ['on-each', { hold: acts.number }]], ['stretch', 'n in all', 't', (acts) => ['stretch', { frames: acts.number }]],
  ],
  repeat: [
    ['end', 'to the end', 'r', () => ['repeat-span', {}]], ['times', 'n times', 'y', (acts) => ['repeat-span', { times: acts.number }]],
    ['until', 'to frame n', 'u', (acts) => ['repeat-span', { until: acts.number }]], ['back', 'there and back', 'b', () => ['there-and-back', {}]],
  ],
  alive: [['alive', 'by turns, n each', 'l', (acts) => acts.alive()]],
  show: [
    ['reverse', 'backwards', 'v', () => ['reverse', {}]], ['nothing', 'nothing', 'x', () => ['cover', { drawing: null }]],
    ['other', 'drawing n', 'p', (acts) => acts.another()], ['own', 'a copy of it', 'k', (acts) => acts.ownCopy()],
  ],
  move: [
    ['earlier', 'earlier', 'Alt ↑', () => ['move', { by: -1 }]], ['later', 'later', 'Alt ↓', () => ['move', { by: 1 }]],
    ['away', 'take away', 'Del', () => ['take-away', {}]], ['copy', 'copy', 'c', (acts) => acts.copy()], ['paste', 'put in', 'e', (acts) => acts.paste()],
  ],
  sheets: [
    ['sheets', 'empty ones between', 's', (acts) => acts.sheets(true)], ['sheet', 'n behind', 'w', (acts) => acts.sheets(false)],
    ['out', 'out of the run', 'q', (acts) => acts.takeOut()], ['mean', 'on purpose', 'o', (acts) => acts.mean()],
  ],
};
const ACTS = Object.values(ROWS).flat();
const PUSHES = ['on-each', 'stretch', 'repeat-span', 'there-and-back', 'take-away', 'paste'];

export class Acts {
  // wide: the sheet they are done on.
  constructor(app, wide) {
    this.app = app;
    this.wide = wide;
    this.copied = null;
    this.waiting = null;
    const button = ([id, words, key]) => html`<button data-act="${id}">${words} <kbd>${key.length > 1 ? key : key.toUpperCase()}</kbd></button>`;
    const redraws = html`<label title="Drawings that are made for a hold that is kept alive: the first of the span, drawn once more">with <input
      id="time-redraws" type="number" min="0" max="5" value="2" aria-label="Redraws made"> redraws</label>
      <select id="time-strength" aria-label="How far redraws differ"><option value="0.5">half as far off</option><option value="1"
        selected>as drawn</option><option value="2">twice as far off</option></select>`;
    fill($('time-acts'), html`${Object.entries(ROWS)
      .map(([about, acts]) => html`<div><span>${about}</span>${acts.map(button)}${about === 'alive' ? redraws : ''}</div>`)}<div><label>n <input
        id="time-n" type="number" min="1" max="20000" value="2" aria-label="The number n of the acts"></label>
      <label title="Else it stays where it is: more frames lie over it, and the last drawing fills what is left"><input id="time-push" type="checkbox"
        checked> what follows moves along <kbd>M</kbd></label>
      <label title="An act stands in the sheet and plays until it is kept or dropped"><input id="time-tries" type="checkbox"> try first</label></div>`);
    for (const node of $('time-acts').querySelectorAll('[data-act]')) node.addEventListener('click', () => { this.run(node.dataset.act); wide.focus(); });
  }

  get number() { return Math.max(1, Math.round(Number($('time-n').value) || 1)); }

  get push() { return $('time-push').checked; }

  // A key while the sheet has the focus; true if it was one of its own.
  press(event) {
    const key = event.key.toLowerCase();
    if (this.waiting && (key === 'enter' || key === 'escape')) { if (key === 'enter') this.keep(); else this.drop(); return true; }
    if (event.altKey && (key === 'arrowup' || key === 'arrowdown')) { this.run(key === 'arrowup' ? 'earlier' : 'later'); return true; }
    if (event.altKey || event.ctrlKey || event.metaKey) return false;
    if (key === 'delete' || key === 'backspace') { this.run('away'); return true; }
    if (key === 'm') { $('time-push').checked = !this.push; return true; }
    const act = ACTS.find((a) => a[2] === key);
    if (act) this.run(act[0]);
    return Boolean(act);
  }

  run(id) {
    if (this.waiting) { notice('Keep or drop what is tried first'); return; }
    if (!this.wide.span) { notice('Choose frames in the sheet first: drag over them, or Shift and the arrows'); return; }
    const made = ACTS.find((a) => a[0] === id)[3](this);
    Promise.resolve(made).then((ready) => { if (ready) this.send(...ready, id); });
  }

  async send(what, more, id) {
    const { app, wide } = this;
    const [first, last] = wide.span;
    const common = ['take-out', 'mean'].includes(what) ? {} : ['insert', 'copy-drawing', 'living'].includes(what) ? { first, last }
      : { levels: wide.ids, first, last };
    const content = { do: what, ...common, ...(PUSHES.includes(what) ? { push: this.push } : {}), ...more };
    try {
      const tried = await post(`/api/times/${app.data.shot.id}/try`, { do: content });
      const words = this.words(tried);
      if ($('time-tries').checked || tried.uneven || words.lost) { this.offer(content, tried, words.all); return; }
      await this.done(content);
      if (what === 'move') wide.chooseRows(first + more.by, last + more.by);
      if (id === 'paste' || id === 'sheets' || id === 'sheet') wide.show();
    } catch (error) { notice(error.message, true); }
  }

  // What an act does to time, in words.
  words({ lost, uneven, frames, fps, made }) {
    const { app } = this;
    const number = (level, id) => app.data.levels.find((l) => l.id === Number(level))?.drawings[id]?.[0] ?? '?';
    const off = Object.entries(lost).map(([level, ids]) =>
      `${app.data.levels.find((l) => l.id === Number(level))?.name} ${ids.slice(0, 8).map((id) => number(level, id)).join(', ')}${ids.length > 8 ? ' …' : ''}`);
    const says = [];
    if (off.length) says.push(`fall off the end and are kept behind it: ${off.join('; ')}`);
    if (uneven) says.push(`${uneven} hold${uneven > 1 ? 's' : ''} come out uneven`);
    if (frames !== app.data.shot.frames) says.push(`${frames} frames at ${fps}`);
    if (made.length) says.push(`${made.length} new drawing${made.length > 1 ? 's' : ''}`);
    return { lost: off.length > 0, all: says.join(' · ') || 'nothing falls off the end' };
  }

  offer(content, tried, words) {
    this.waiting = content;
    this.app.sync.take(tried, true);
    fill($('wide-says'), html`<b>Tried:</b> ${words} <button id="time-keep"
      class="main">${tried.missing ? 'The end is pushed off' : 'Keep'} <kbd>Enter</kbd></button>${tried.missing
        ? html` <button id="time-grow">The shot grows by ${tried.missing}</button>` : ''} <button id="time-drop">Drop <kbd>Esc</kbd></button>`);
    $('time-keep').addEventListener('click', () => this.keep());
    $('time-grow')?.addEventListener('click', () => { this.waiting = { ...content, grow: true }; this.keep(); });
    $('time-drop').addEventListener('click', () => this.drop());
    this.wide.focus();
    this.wide.draw();
  }

  async keep() {
    const content = this.waiting;
    this.waiting = null;
    try { await this.done(content); } catch (error) { notice(error.message, true); await this.app.sync.refresh(); }
    this.wide.says();
  }

  async drop() {
    this.waiting = null;
    await this.app.sync.refresh();
    this.wide.says();
  }

  async done({ do: what, ...fields }) {
    const { app } = this;
    const time = await change('times', app.data.shot.id, what, fields);
    if (time.again || time.made?.length || what === 'take-out') await app.sync.refresh(); else app.sync.take(time);
    this.wide.says();
  }

  // What a level shows in the span: [drawing or null, frames].
  piecesIn(level) { return piecesOf(level, ...this.wide.span); }

  // ---- acts that need more than the span

  another() {
    const { wide } = this;
    if (wide.ids.length > 1) { notice('Choose frames of one level to put another drawing there'); return null; }
    const found = Object.entries(wide.levels[wide.columns[0]].drawings).find(([, [number]]) => number === $('time-n').value.trim());
    if (!found) { notice(`There is no drawing ${$('time-n').value} on this level; write its number into n`); return null; }
    return ['cover', { drawing: Number(found[0]) }];
  }

  copy() {
    const { wide } = this;
    const [first, last] = wide.span;
    this.copied = Object.fromEntries(wide.chosenLevels.map((level) => [level.id, piecesOf(level, first, last)]));
    notice(`Copied ${last - first + 1} frame${last > first ? 's' : ''} of ${wide.ids.length} level${wide.ids.length > 1 ? 's' : ''}; I puts them in`);
    return null;
  }

  paste() {
    if (!this.copied) { notice('Copy frames first: choose them and press C'); return null; }
    return ['paste', { levels: Object.keys(this.copied).map(Number), pieces: this.copied }];
  }

  sheets(between) {
    const { wide } = this;
    if (wide.ids.length > 1) { notice('Choose frames of one level to put sheets in'); return null; }
    return ['insert', { level: wide.ids[0], between, count: between ? 1 : Math.min(20, this.number), hold: this.push ? 2 : null }];
  }

  takeOut() {
    const { wide } = this;
    const drawings = wide.ids.length === 1 ? wide.drawings() : [];
    if (!drawings.length) { notice('Choose frames of one level in which drawings stand'); return null; }
    return ['take-out', { level: wide.ids[0], drawings }];
  }

  // Drawings that are as they are on purpose are not asked about; again: they are.
  mean() {
    const drawings = this.wide.drawings();
    const meant = !drawings.every((id) => this.app.data.meant.includes(id));
    return drawings.length ? ['mean', { drawings, meant }] : null;
  }

  // A pose that goes on through the span: its drawings by turns, with redraws of the first as far off it as a hand draws.
  async alive() {
    const { app, wide } = this;
    const drawings = wide.ids.length === 1 ? wide.drawings() : [];
    if (!drawings.length) { notice('Choose frames of one level in which the pose stands'); return null; }
    const count = Math.min(5, Math.max(0, Math.round(Number($('time-redraws').value) || 0)));
    let reach = 0;
    if (count) {
      try {
        const found = await reachOf(wide.ids[0], drawings, Number($('time-strength').value));
        reach = found.reach;
        app.tools.says(found.words);
      } catch (error) { notice(error.message, true); return null; }
    }
    return ['living', { level: wide.ids[0], hold: Math.min(24, this.number), count, reach }];
  }

  ownCopy() {
    const { wide } = this;
    const [first, last] = wide.span;
    const drawing = wide.ids.length === 1 && wide.levels[wide.columns[0]].spans.find(([at, count]) => first >= at && first < at + count);
    if (!drawing) { notice('Choose frames in which a drawing stands'); return null; }
    return ['copy-drawing', { level: wide.ids[0], drawing: drawing[2], last: Math.min(last, drawing[0] + drawing[1] - 1) }];
  }
}

// What a level shows in frames first to last: [drawing or null, frames].
function piecesOf(level, first, last) {
  const found = [];
  let frame = first;
  while (frame <= last) {
    const here = level.spans.find(([at, count]) => frame >= at && frame < at + count);
    const next = level.spans.find(([at]) => at > frame)?.[0] ?? last + 1;
    const end = Math.min(last + 1, here ? here[0] + here[1] : next);
    found.push([here ? here[2] : null, end - frame]);
    frame = end;
  }
  return found;
}
