// The exposure sheet: frames run down, a stem shows how long a drawing is held.

const ROW = 20;

export function drawSheet(app) {
  const list = document.getElementById('sheet');
  const byId = app.byId;
  list.replaceChildren(...app.data.spans.map(([first, count, id]) => {
    const entry = byId.get(id);
    const item = document.createElement('li');
    item.className = 'hold';
    item.tabIndex = -1;
    item.dataset.id = id;
    item.dataset.kind = entry.kind;
    item.style.height = `${Math.max(26, count * ROW)}px`;
    if (id === app.current.id) item.setAttribute('aria-current', 'true');
    item.classList.toggle('chosen', app.chosen.has(id));
    const [words, ask] = left(entry, app.stage);
    item.innerHTML = `<span class="frame">${first}</span><span class="which">${entry.number}</span><span class="mark-left${ask ? ' ask' : ''}">${words}</span>${count > 1 ? '<span class="stem"></span>' : ''}<span class="stem-end" title="Drag to change the hold"></span>`;
    item.title = `Drawing ${entry.number}, ${{ key: 'key', breakdown: 'breakdown', inbetween: 'in-between' }[entry.kind]}, held ${count} frame${count > 1 ? 's' : ''}. Double-click to change its kind.`;
    item.addEventListener('click', (event) => (event.shiftKey ? app.chooseTo(id) : app.go(id, true)));
    item.addEventListener('dblclick', () => app.nextKind(entry));
    dragHold(app, item, first, count);
    return item;
  }));
  list.querySelector('[aria-current]')?.scrollIntoView({ block: 'nearest' });
}

// What is left on a drawing in this stage, in a word, and whether it asks for a decision.
export function left(entry, stage) {
  if (stage === 'line') return entry.strokes ? ['✓', false] : ['rough', false];
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
