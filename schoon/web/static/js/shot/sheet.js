// The exposure sheet: frames run down, a stem shows how long a drawing is held, a small cross that there is none, a stem
// that bends back that what stood before runs again. Below it: what is to stand at the frame that was pointed at.

import { notice, post } from '../api.js';
import { fill, html } from '../dom.js';
import { shown } from './label.js';
import { byWork, left, leftInShort } from '../pure/order.js';

const $ = (id) => document.getElementById(id);
const ROW = 20;
const LEAST = 26;
const KINDS = { inbetween: 'in-between', breakdown: 'breakdown', extreme: 'extreme', key: 'key' };

export class Sheet {
  constructor(app) {
    this.app = app;
    this.pointed = 1;
    this.work = false;
    for (const what of ['run', 'time']) app.on(what, () => this.show());
    $('sheet-order').addEventListener('click', () => {
      this.work = !this.work;
      $('sheet-order').setAttribute('aria-pressed', String(this.work));
      this.show();
    });
    this.wireFoot();
  }

  // A word of one's own on the chosen drawings, or on the one on the table.
  write() {
    const word = $('label-word').value.trim();
    const drawings = this.app.meant((d) => d === this.app.current).map((d) => d.id);
    this.app.sync.time('label', { drawings, written: word ? { word, tint: $('label-tint').value } : null });
  }

  show() {
    const { app, work } = this;
    const list = $('sheet');
    list.classList.toggle('by-work', work);
    const rows = work ? byWork(app.data.sheet, app.byId, app.stage.name) : app.data.sheet;
    list.replaceChildren(...rows.map(([first, count, what]) => {
      const entry = app.byId.get(what);
      const item = entry ? this.drawingRow(entry, first, count) : plainRow(what, first, count);
      item.style.height = work ? `${LEAST}px` : `${Math.max(LEAST, count * ROW)}px`;
      item.dataset.first = first;
      item.addEventListener('pointerdown', (event) => this.point(first, count, item, event));
      if (!work) this.dragHold(item, first, count);
      return item;
    }));
    list.querySelector('[aria-current]')?.scrollIntoView({ block: 'nearest' });
    this.showFoot();
  }

  drawingRow(entry, first, count) {
    const { app } = this;
    const item = document.createElement('li');
    item.className = 'hold';
    item.tabIndex = -1;
    item.dataset.id = entry.id;
    item.dataset.kind = entry.kind;
    if (entry === app.current) item.setAttribute('aria-current', 'true');
    item.classList.toggle('chosen', app.chosen.has(entry.id));
    const [words] = left(entry, app.stage.name);
    const [short, ask] = leftInShort(entry, app.stage.name);
    const label = app.data.labels?.[entry.id];
    fill(item, html`<span class="frame">${first}</span><span class="which">${entry.number}</span>
      <span class="mark-left${ask ? ' ask' : ''}" title="${words}">${short}</span>${label ? shown(label) : ''}${ends(count > 1)}`);
    item.title = `Drawing ${entry.number}, ${KINDS[entry.kind]}, held ${count} frame${count > 1 ? 's' : ''}. Double-click to change its kind.`;
    item.addEventListener('click', (event) => (event.shiftKey ? app.chooseTo(entry.id) : app.go(entry.id, true)));
    item.addEventListener('dblclick', () => this.nextKind(entry));
    return item;
  }

  nextKind(entry) {
    const kinds = Object.keys(KINDS);
    const kind = kinds[(kinds.indexOf(entry.kind) + 1) % kinds.length];
    return this.app.sync.time('mark', { level: this.app.level, drawing: entry.id, kind });
  }

  dragHold(item, first, count) {
    const grip = item.querySelector('.stem-end');
    grip.addEventListener('click', (event) => event.stopPropagation());
    grip.addEventListener('pointerdown', (event) => {
      event.preventDefault();
      event.stopPropagation();
      grip.setPointerCapture(event.pointerId);
      const from = event.clientY;
      let hold = count;
      const move = (e) => {
        hold = Math.max(1, count + Math.round((e.clientY - from) / ROW));
        item.style.height = `${Math.max(LEAST, hold * ROW)}px`;
      };
      grip.addEventListener('pointermove', move);
      grip.addEventListener('pointerup', () => {
        grip.removeEventListener('pointermove', move);
        if (hold !== count) this.app.sync.time('hold', { level: this.app.level, first, hold }); else this.show();
      }, { once: true });
    });
  }

  // ---- the foot: time at the frame that was pointed at

  point(first, count, item, event) {
    const box = item.getBoundingClientRect();
    const within = Math.min(count - 1, Math.max(0, Math.floor((event.clientY - box.top) / ROW)));
    this.pointed = this.work ? first : first + within;
    this.app.frame = this.pointed;
    this.app.tell('frame');
    this.showFoot();
  }

  showFoot() {
    const { shot, run, sheet } = this.app.data;
    this.pointed = Math.min(Math.max(1, this.pointed), shot.frames);
    const { pointed } = this;
    $('time-says').textContent = `${shot.frames} at ${shot.fps}`;
    $('time-frame').value = pointed;
    $('time-frame').max = shot.frames;
    $('time-length').value = shot.frames;
    $('time-rate').value = shot.fps;
    $('time-numbering').value = shot.numbering;
    const there = sheet.find(([first, count]) => pointed >= first && pointed < first + count);
    const what = there?.[2];
    const chosen = what?.again ? 'again' : what ? String(what) : 'none';
    const drawings = run.map((d) => html`<option value="${d.id}">drawing ${d.number}</option>`);
    fill($('time-what'), html`${drawings}<option value="none">nothing</option><option value="again">as before</option>`);
    $('time-what').value = chosen;
    $('time-again').hidden = chosen !== 'again';
    $('time-first').value = what?.again ?? 1;
    $('time-first').max = Math.max(1, pointed - 1);
    $('time-clear').disabled = there?.[0] !== pointed;
  }

  // Another rate: what comes out uneven is said before.
  async rate(fps, recount) {
    const { sync, data } = this.app;
    try {
      const { uneven, frames } = await post(`/api/times/${data.shot.id}/try`, { do: { do: 'rate', fps, recount } });
      const words = `${uneven} hold${uneven === 1 ? '' : 's'} come out uneven, and the shot has ${frames} frames. Count them anew?`;
      if (uneven && !window.confirm(words)) { this.showFoot(); return; }
      await sync.time('rate', { fps, recount });
    } catch (error) { notice(error.message, true); this.showFoot(); }
  }

  put() {
    const what = $('time-what').value;
    const at = { level: this.app.level, frame: this.pointed };
    if (what === 'none') return this.app.sync.time('blank', at);
    if (what === 'again') return this.app.sync.time('repeat', { ...at, first: Number($('time-first').value) });
    return this.app.sync.time('expose', { ...at, drawing: Number(what) });
  }

  wireFoot() {
    const { sync } = this.app;
    const on = (id, what, act) => $(id).addEventListener(what, (event) => act(event.target));
    on('time-frame', 'change', (field) => { this.pointed = Number(field.value) || 1; this.showFoot(); });
    on('time-what', 'change', () => this.put());
    on('label-set', 'click', () => this.write());
    on('time-first', 'change', () => this.put());
    on('time-clear', 'click', () => sync.time('clear', { level: this.app.level, frame: this.pointed }));
    on('time-length', 'change', (field) => sync.time('length', { frames: Number(field.value) }));
    on('time-rate', 'change', (field) => this.rate(Number(field.value), $('time-keeps').value === 'seconds'));
    on('time-numbering', 'change', (field) => sync.time('numbering', { numbering: field.value }));
    on('time-undo', 'click', () => sync.step('undo', 'times'));
    on('time-redo', 'click', () => sync.step('redo', 'times'));
  }
}

const ends = (stem) => html`${stem ? html`<span class="stem"></span>` : ''}<span class="stem-end" title="Drag to change the hold"></span>`;

// Frames without a drawing of their own: nothing, or what stood before again.
function plainRow(what, first, count) {
  const item = document.createElement('li');
  item.className = `hold ${what ? 'again' : 'nothing'}`;
  const words = what ? `as from ${what.again}` : 'nothing';
  fill(item, html`<span class="frame">${first}</span><span class="which">${what ? '↺' : '×'}</span>
    <span class="mark-left">${words}</span>${ends(what && count > 1)}`);
  item.title = what ? `From frame ${first} what stands from frame ${what.again} runs again` : `Nothing is shown for ${count} frame${count > 1 ? 's' : ''}`;
  return item;
}
