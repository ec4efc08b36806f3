// Keys: the left hand flips, steps and chooses tools while the right one draws.

import { fill, html } from '../dom.js';
import { EVERYWHERE, FLIP, HELD, PAPER } from '../keys.js';

const $ = (id) => document.getElementById(id);
const typing = (node) => node.matches('input:not([type="range"], [type="checkbox"]), select, textarea');

export const heldKeys = new Set();

export function wireKeys(app) {
  const { player } = app;
  document.addEventListener('keydown', (event) => {
    if (typing(event.target) || document.querySelector('dialog[open]')) return;
    const key = event.key.toLowerCase();
    if (event.ctrlKey || event.metaKey) {
      if (key === 'z') { event.preventDefault(); app.sync.step(event.shiftKey ? 'redo' : 'undo'); }
      return;
    }
    if (event.altKey && key !== 'alt') return;
    const first = !heldKeys.has(key);
    heldKeys.add(key);
    if (key in FLIP) {
      event.preventDefault();
      const entry = FLIP[key] ? app.neighbour(FLIP[key]) : app.current;
      if (first && entry) { app.table.draw(entry, true); app.tools.says(`flip: drawing ${entry.number}`); }
      return;
    }
    if (key === ' ') { event.preventDefault(); if (first) player.toggle(event.shiftKey); return; }
    if (key === HELD.drag || key === HELD.turn) { $('paper').classList.add('grab'); return; }
    if (event.code === HELD.against) { event.preventDefault(); if (first) app.looks.hold(true); return; }
    if (key === PAPER.fit) { app.table.view.fit(); return; }
    if (key === PAPER.figure) { app.room.figure(); return; }
    if (key === PAPER.wings) { $('see-wings').click(); return; }
    if (key === PAPER.wide) { $('sheet-wide').click(); return; }
    if (event.code === PAPER.ledge) { if (event.shiftKey) app.room.largeLedge(); else app.room.turnLedge(); return; }
    if (key === '?') { showKeys(app.stage); return; }
    if (key === 'e') { $('see-rough').click(); return; }
    if (key === 'o') { $('see-onion').click(); return; }
    if (key === 'a' || key === 'd') {
      const entry = app.neighbour(key === 'a' ? -1 : 1, event.shiftKey);
      if (entry) app.go(entry.id, true);
      return;
    }
    if (key === 'escape' && app.placer.on) { app.placer.end(); return; }
    const { stage } = app;
    if (stage.key(event)) { event.preventDefault(); return; }
    const found = stage.tools.find((t) => t.key === key);
    if (found && first) app.tools.use(found.id);
  });
  document.addEventListener('keyup', (event) => {
    const key = event.key.toLowerCase();
    heldKeys.delete(key);
    if (key in FLIP && !Object.keys(FLIP).some((k) => heldKeys.has(k))) { app.table.draw(); app.tools.status(); }
    if (key === HELD.drag || key === HELD.turn) $('paper').classList.remove('grab');
    if (event.code === HELD.against && app.looks.held) app.looks.hold(false);
  });
  window.addEventListener('blur', () => { heldKeys.clear(); if (app.looks.held) app.looks.hold(false); });
}

function showKeys(stage) {
  const rows = [...EVERYWHERE, ...stage.tools.map((t) => [t.key.toUpperCase(), t.label.toLowerCase()]), ...stage.help];
  fill($('keys-help').querySelector('dl'), rows.map(([k, words]) => html`<dt>${k}</dt><dd>${words}</dd>`));
  $('keys-help').showModal();
}
