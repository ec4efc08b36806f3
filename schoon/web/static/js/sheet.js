// The exposure sheet: frames run down, a stem shows how long a drawing is held.

import { fill, html } from './dom.js';

const ROW = 20;

// In the order of the trade: keys first, then breakdowns, then in-betweens; what is still to do before what is done.
const TRADE = { key: 0, breakdown: 1, inbetween: 2 };

function spansInOrder(app) {
  if (!app.byWork) return app.data.spans;
  const open = (entry) => (left(entry, app.stage)[0] === '✓' ? 1 : 0);
  const rank = ([, , id]) => { const entry = app.byId.get(id); return TRADE[entry.kind] * 2 + open(entry); };
  return [...app.data.spans].sort((a, b) => rank(a) - rank(b) || a[0] - b[0]);
}

export function drawSheet(app) {
  const list = document.getElementById('sheet');
  const byId = app.byId;
  list.classList.toggle('by-work', Boolean(app.byWork));
  list.replaceChildren(...spansInOrder(app).map(([first, count, id]) => {
    const entry = byId.get(id);
    const item = document.createElement('li');
    item.className = 'hold';
    item.tabIndex = -1;
    item.dataset.id = id;
    item.dataset.kind = entry.kind;
    item.style.height = app.byWork ? '26px' : `${Math.max(26, count * ROW)}px`;
    if (id === app.current.id) item.setAttribute('aria-current', 'true');
    item.classList.toggle('chosen', app.chosen.has(id));
    const [words, ask] = left(entry, app.stage);
    fill(item, html`<span class="frame">${first}</span><span class="which">${entry.number}</span><span class="mark-left${ask ? ' ask' : ''}">${words}</span>${count > 1 ? html`<span class="stem"></span>` : ''}<span class="stem-end" title="Drag to change the hold"></span>`);
    item.title = `Drawing ${entry.number}, ${{ key: 'key', breakdown: 'breakdown', inbetween: 'in-between' }[entry.kind]}, held ${count} frame${count > 1 ? 's' : ''}. Double-click to change its kind.`;
    item.addEventListener('click', (event) => (event.shiftKey ? app.chooseTo(id) : app.go(id, true)));
    item.addEventListener('dblclick', () => app.nextKind(entry));
    if (!app.byWork) dragHold(app, item, first, count);
    return item;
  }));
  list.querySelector('[aria-current]')?.scrollIntoView({ block: 'nearest' });
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
      item.style.height = `${Math.max(26, hold * ROW)}px`;
    };
    grip.addEventListener('pointermove', move);
    grip.addEventListener('pointerup', () => {
      grip.removeEventListener('pointermove', move);
      if (hold !== count) app.setHold(first, hold); else drawSheet(app);
    }, { once: true });
  });
}
