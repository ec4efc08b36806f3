// The exposure sheet: frames run down, a stem shows how long a drawing is held, a small cross that there is none, a stem
// that bends back that what stood before runs again. Below it: what is to stand at the frame that was pointed at.

import { fill, html } from './dom.js';

const $ = (id) => document.getElementById(id);
const ROW = 20;
const LEAST = 26;

// In the order of the trade: keys first, then breakdowns, then in-betweens; what is still to do before what is done.
const TRADE = { key: 0, breakdown: 1, inbetween: 2 };
const KINDS = { key: 'key', breakdown: 'breakdown', inbetween: 'in-between' };

let pointed = 1;

function inOrder(app) {
  if (!app.byWork) return app.data.sheet;
  const open = (entry) => (left(entry, app.stage)[0] === '✓' ? 1 : 0);
  const rank = ([, , id]) => { const entry = app.byId.get(id); return TRADE[entry.kind] * 2 + open(entry); };
  return app.data.sheet.filter(([, , what]) => app.byId.has(what)).sort((a, b) => rank(a) - rank(b) || a[0] - b[0]);
}

export function drawSheet(app) {
  const list = $('sheet');
  list.classList.toggle('by-work', Boolean(app.byWork));
  list.replaceChildren(...inOrder(app).map(([first, count, what]) => {
    const entry = app.byId.get(what);
    const item = entry ? drawingRow(app, entry, first, count) : plainRow(what, first, count);
    item.style.height = app.byWork ? `${LEAST}px` : `${Math.max(LEAST, count * ROW)}px`;
    item.dataset.first = first;
    item.addEventListener('pointerdown', (event) => point(app, first, count, item, event));
    if (!app.byWork) dragHold(app, item, first, count);
    return item;
  }));
  list.querySelector('[aria-current]')?.scrollIntoView({ block: 'nearest' });
  showFoot(app);
}

function drawingRow(app, entry, first, count) {
  const item = document.createElement('li');
  item.className = 'hold';
  item.tabIndex = -1;
  item.dataset.id = entry.id;
  item.dataset.kind = entry.kind;
  if (entry === app.current) item.setAttribute('aria-current', 'true');
  item.classList.toggle('chosen', app.chosen.has(entry.id));
  const [words, ask] = left(entry, app.stage);
  fill(item, html`<span class="frame">${first}</span><span class="which">${entry.number}</span><span class="mark-left${ask ? ' ask' : ''}">${words}</span>${count > 1 ? html`<span class="stem"></span>` : ''}<span class="stem-end" title="Drag to change the hold"></span>`);
  item.title = `Drawing ${entry.number}, ${KINDS[entry.kind]}, held ${count} frame${count > 1 ? 's' : ''}. Double-click to change its kind.`;
  item.addEventListener('click', (event) => (event.shiftKey ? app.chooseTo(entry.id) : app.go(entry.id, true)));
  item.addEventListener('dblclick', () => app.nextKind(entry));
  return item;
}

// Frames without a drawing of their own: nothing, or what stood before again.
function plainRow(what, first, count) {
  const item = document.createElement('li');
  item.className = `hold ${what ? 'again' : 'nothing'}`;
  const words = what ? `as from ${what.again}` : 'nothing';
  fill(item, html`<span class="frame">${first}</span><span class="which">${what ? '↺' : '×'}</span><span class="mark-left">${words}</span>${what && count > 1 ? html`<span class="stem"></span>` : ''}<span class="stem-end" title="Drag to change the hold"></span>`);
  item.title = what ? `From frame ${first} what stands from frame ${what.again} runs again` : `Nothing is shown for ${count} frame${count > 1 ? 's' : ''}`;
  return item;
}

// What is left on a drawing in this stage, in a word, and whether it asks for a decision.
export function left(entry, stage) {
  if (stage === 'line') return !entry.strokes ? ['rough', false] : entry.doubtful ? [`${entry.doubtful} ?`, true] : ['✓', false];
  if (stage === 'seal') return !entry.strokes ? ['rough', false] : entry.open_gaps ? [`${entry.open_gaps} gap${entry.open_gaps > 1 ? 's' : ''}`, true] : ['✓', false];
  if (stage === 'paint' || stage === 'hand-off') {
    if (entry.unsure) return [`${entry.unsure} ?`, true];
    return [entry.painted ? '✓' : entry.strokes ? 'bare' : 'rough', false];
  }
  return ['', false];
}

function dragHold(app, item, first, count) {
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
      if (hold !== count) app.changeTime('hold', { level: app.data.shot.level_id, first, hold }); else drawSheet(app);
    }, { once: true });
  });
}

// ---- the foot: time at the frame that was pointed at

function point(app, first, count, item, event) {
  const box = item.getBoundingClientRect();
  pointed = app.byWork ? first : first + Math.min(count - 1, Math.max(0, Math.floor((event.clientY - box.top) / ROW)));
  showFoot(app);
}

function standing(app) { return app.data.sheet.find(([first, count]) => pointed >= first && pointed < first + count); }

function showFoot(app) {
  const { shot, run } = app.data;
  pointed = Math.min(Math.max(1, pointed), shot.frames);
  $('time-says').textContent = `${shot.frames} frames at ${shot.fps}`;
  $('time-frame').value = pointed;
  $('time-frame').max = shot.frames;
  $('time-length').value = shot.frames;
  $('time-rate').value = shot.fps;
  const there = standing(app);
  const what = there?.[2];
  const chosen = what?.again ? 'again' : what ? String(what) : 'none';
  fill($('time-what'), html`${run.map((d) => html`<option value="${d.id}">drawing ${d.number}</option>`)}<option value="none">nothing</option><option value="again">as before</option>`);
  $('time-what').value = chosen;
  $('time-again').hidden = chosen !== 'again';
  $('time-first').value = what?.again ?? 1;
  $('time-first').max = Math.max(1, pointed - 1);
  $('time-clear').disabled = there?.[0] !== pointed;
}

function put(app) {
  const what = $('time-what').value;
  const at = { level: app.data.shot.level_id, frame: pointed };
  if (what === 'none') return app.changeTime('blank', at);
  if (what === 'again') return app.changeTime('repeat', { ...at, first: Number($('time-first').value) });
  return app.changeTime('expose', { ...at, drawing: Number(what) });
}

export function wireSheet(app) {
  $('time-frame').addEventListener('change', (event) => { pointed = Number(event.target.value) || 1; showFoot(app); });
  $('time-what').addEventListener('change', () => put(app));
  $('time-first').addEventListener('change', () => put(app));
  $('time-clear').addEventListener('click', () => app.changeTime('clear', { level: app.data.shot.level_id, frame: pointed }));
  $('time-length').addEventListener('change', (event) => app.changeTime('length', { frames: Number(event.target.value) }));
  $('time-rate').addEventListener('change', (event) => app.changeTime('rate', { fps: Number(event.target.value) }));
  $('time-undo').addEventListener('click', () => app.step('undo', 'times'));
  $('time-redo').addEventListener('click', () => app.step('redo', 'times'));
}
