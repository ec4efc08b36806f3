// Keys: the left hand flips, steps and chooses tools while the right one draws.

import { CARD, FLIP, HELD, LENT, MEANINGS, meant, PAPER, shown, STOPS, TIME } from '../keys.js';

const $ = (id) => document.getElementById(id);
const typing = (node) => node.matches('input:not([type="range"], [type="checkbox"]), select, textarea');

// What is held down, as it is meant; by the key it is held with.
const held = new Map();
export const heldKeys = { has: (key) => [...held.values()].includes(key) };

export function wireKeys(app) {
  for (const node of document.querySelectorAll('kbd[data-key]')) node.textContent = shown(node.dataset.key);
  const always = {
    [PAPER.fit]: () => app.table.view.fit(), [PAPER.figure]: () => app.room.figure(), [PAPER.strip]: () => $('see-strip').click(),
    [PAPER.wide]: () => $('sheet-wide').click(), [PAPER.ledge]: () => app.room.turnLedge(), [PAPER.large]: () => app.room.largeLedge(),
    '?': () => app.help.open(), e: () => $('see-rough').click(), o: () => $('see-onion').click(), 'shift+z': () => app.looks.next(),
    [TIME.sheet]: () => app.span.sheet(), [TIME.longer]: () => app.span.longer(1), [TIME.shorter]: () => app.span.longer(-1),
    ...Object.fromEntries(STOPS.map((stop, k) => [`shift+${k + 1}`, () => app.stops.light(stop)])),
  };
  const steps = { a: [-1, false], d: [1, false], 'shift+a': [-1, true], 'shift+d': [1, true] };
  document.addEventListener('keydown', (event) => {
    if (typing(event.target) || document.querySelector('dialog[open]')) return;
    const key = meant(event);
    if (event.ctrlKey || event.metaKey) {
      if (event.key.toLowerCase() === 'z') { event.preventDefault(); app.sync.step(event.shiftKey ? 'redo' : 'undo'); }
      return;
    }
    if (event.altKey && event.key !== 'Alt') return;
    const first = !held.has(event.code);
    held.set(event.code, key);
    if (key in FLIP) {
      event.preventDefault();
      const entry = FLIP[key] ? app.neighbour(FLIP[key]) : app.current;
      if (first && entry) { app.table.draw(entry, true); app.tools.says(`flip: drawing ${entry.number}`); }
      return;
    }
    if (key === 'space' || key === 'shift+space') { event.preventDefault(); if (first) app.player.toggle(event.shiftKey); return; }
    if (key === HELD.drag || key === HELD.turn) { $('paper').classList.add('grab'); return; }
    if (key === HELD.against) { event.preventDefault(); if (first) app.looks.hold(true); return; }
    if (key === 'home' || key === 'end') {
      const entry = app.data.run.at(key === 'home' ? 0 : -1);
      event.preventDefault();
      if (entry) app.go(entry.id, true);
      return;
    }
    if (key in always) { event.preventDefault(); if (first) always[key](); return; }
    if (key in steps) {
      const [by, keys] = steps[key];
      const entry = app.neighbour(by, keys);
      if (entry) app.go(entry.id, true);
      return;
    }
    if (key === 'escape' && app.placer.on) { app.placer.end(); return; }
    if (key === 'escape' && app.tools.lent) { app.tools.giveBack(); return; }
    if (app.leak.found && (key === CARD.take || key === CARD.other)) { app.leak.keep(key === CARD.take); return; }
    const { stage } = app;
    if (stage.key(key, event)) { event.preventDefault(); return; }
    const found = key && stage.tools.find((t) => t.key === key);
    if (found) { if (first) app.tools.use(found.id); return; }
    if (key in LENT && first) app.tools.borrow(key);
  });
  document.addEventListener('keyup', (event) => {
    const key = held.get(event.code);
    held.delete(event.code);
    if (key in FLIP && !Object.keys(FLIP).some((k) => heldKeys.has(k))) { app.table.draw(); app.tools.status(); }
    if (key === HELD.drag || key === HELD.turn) $('paper').classList.remove('grab');
    if (key === HELD.against && app.looks.held) app.looks.hold(false);
    if (key in LENT) app.tools.letGo(key);
  });
  window.addEventListener('blur', () => { held.clear(); if (app.looks.held) app.looks.hold(false); app.tools.giveBack(); });
}

// What the keys of a stop do: [key, words].
export function keysOf(stage) {
  const words = new Map(MEANINGS.flatMap(([, list]) => list));
  const lent = Object.entries(LENT).filter(([key, [, , where]]) => where.includes(stage.name) && !stage.tools.some((t) => t.key === key));
  return [
    ...stage.tools.filter((t) => t.key).map((t) => [shown(t.key), t.label.toLowerCase()]), ...stage.hints.map(([key, said]) => [shown(key), said]),
    ...lent.map(([key, [of, id]]) => [shown(key), `held: ${words.get(key)}${of === 'paint' && id === 'pour' ? ' the pot in the dock' : ''}`]),
    ...MEANINGS.filter(([group]) => ['Looking', 'Stops and ledge', 'Time'].includes(group))
      .flatMap(([, list]) => list.map(([key, said]) => [shown(key), said])),
    ['Ctrl+Z', 'undo; with Shift redo'], ['wheel', 'zoom at the pointer'],
  ];
}
