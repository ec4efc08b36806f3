// Paint: pour pots into patches, sample, lift off, carry to the other drawings.

import { edit, notice } from '../api.js';
import { adopt, paintNow } from '../drawings.js';
import { strip } from './strip.js';

export function paintStage(app) {
  let pot = app.data.pots[0]?.id ?? null;

  function selectPot(id) {
    pot = id;
    for (const item of document.querySelectorAll('#pots li')) item.setAttribute('aria-selected', String(Number(item.dataset.pot) === pot));
    app.showStatus();
  }

  function potName() { return app.data.pots.find((p) => p.id === pot)?.name ?? 'no pot'; }

  function patchUnder(event, at) {
    const node = document.elementsFromPoint(event.clientX, event.clientY).find((n) => n.dataset?.n && n.closest('.patches, .doubts'));
    if (node) return Number(node.dataset.n);
    const [w, h] = app.view.size;
    const shapes = paintNow(app.current);
    return shapes?.background && at[0] >= 0 && at[1] >= 0 && at[0] < w && at[1] < h ? shapes.background : 0;
  }

  function brush(colour, lift) {
    return {
      down(event, at) {
        const entry = app.current;
        const shapes = paintNow(entry);
        if (!shapes) { notice(entry.strokes ? 'The patches are still being found; wait a moment' : 'This drawing has no line yet; clean it first'); return null; }
        if (!lift && pot === null) { notice('Choose a pot in the dock first; a model without pots gets them on its own page'); return null; }
        const hit = new Set();
        const value = lift ? null : pot;
        const first = patchUnder(event, at);
        const take = (e) => {
          const n = patchUnder(e, app.view.toPaper(e.clientX, e.clientY));
          // Dragging never floods the outside: only a click on it does.
          if (!n || hit.has(n) || (n === shapes.background && (hit.size || n !== first))) return;
          hit.add(n);
          const node = app.paper.patch(n);
          if (node) app.paper.colour(node, value);
        };
        const started = performance.now();
        take(event);
        requestAnimationFrame(() => { window.schoonTimes = { ...window.schoonTimes, pourSeen: performance.now() - started }; });
        return {
          move: take,
          async up() {
            if (!hit.size) return;
            const points = shapes.patches.filter((p) => hit.has(p.n)).map((p) => p.at);
            const before = entry.revision;
            const sent = performance.now();
            try {
              const answer = await edit(entry, 'pour', { points, pot: value });
              window.schoonTimes = { ...window.schoonTimes, pour: performance.now() - sent };
              adopt(entry, before, { paint: (old) => ({ ...old, revision: answer.revision, paint: answer.paint }) });
              const all = Object.values(answer.paint);
              entry.painted = all.length;
              entry.hand = all.filter((p) => p.by === 'hand').length;
              entry.unsure = all.filter((p) => p.unsure).length;
              app.changed(entry);
            } catch (error) { notice(error.message, true); }
            app.draw();
          },
          cancel() { app.draw(); },
        };
      },
    };
  }

  const sample = {
    id: 'sample', label: 'Sample', key: 's', pen: 'Sample a pot',
    down(event, at) {
      const n = patchUnder(event, at);
      const found = paintNow(app.current)?.paint[n]?.pot;
      if (found === undefined || found < 0) notice('There is no paint here to sample');
      else { selectPot(found); app.useTool('pour'); }
      return null;
    },
  };

  function counts() {
    const shapes = paintNow(app.current);
    const found = new Map();
    for (const [, paint] of Object.entries(shapes?.paint || {})) found.set(paint.pot, (found.get(paint.pot) || 0) + 1);
    return found;
  }

  return {
    look: 'paint',
    tools: [
      { id: 'pour', label: 'Pour', key: 'f', get pen() { return `Pour ${potName().toLowerCase()}`; }, ...brush(null, false) },
      sample,
      { id: 'lift', label: 'Lift off', key: 'x', pen: 'Lift paint off', ...brush(null, true) },
    ],
    keys: 'F pour · S sample · X lift off · Q W previous or next pot · drag across patches to pour many · hold 1 2 3 to flip',
    help: [['Q W', 'previous or next pot'], ['N', 'next unsure patch']],
    selectPot,
    counts,
    hover(event, at) { return patchUnder(event, at); },
    key(event) {
      const { pots } = app.data;
      const key = event.key.toLowerCase();
      if (key === 'n') { app.nextUnsure(); return true; }
      if (!pots.length || !['w', 'q'].includes(key)) return false;
      const k = pots.findIndex((p) => p.id === pot);
      selectPot(pots[(k + (key === 'w' ? 1 : pots.length - 1)) % pots.length].id);
      return true;
    },
    ledge() {
      const { run } = app.data;
      const unsure = run.reduce((n, d) => n + d.unsure, 0);
      const painted = run.filter((d) => d.hand).map((d) => d.number);
      const head = document.getElementById('ledge-head');
      head.innerHTML = `<h2>Run</h2><span class="quiet">painted by hand: ${painted.length ? painted.join(', ') : 'none yet'}</span>
        <span class="${unsure ? 'ask' : 'quiet'}">${unsure ? `${unsure} unsure` : ''}</span><span class="push"></span>
        ${unsure ? '<button id="next-unsure">Next unsure <kbd>N</kbd></button>' : ''}
        <button id="carry" class="main">Carry paint to the others</button>`;
      head.querySelector('#carry').addEventListener('click', () => {
        notice(`Carrying paint from ${painted.length || 'no'} painted drawing${painted.length === 1 ? '' : 's'} to ${run.length}; what a hand painted stays, and it can be undone as one`);
        app.jobs.start(`/api/levels/${app.data.shot.level_id}/jobs`, { kind: 'carry' });
      });
      head.querySelector('#next-unsure')?.addEventListener('click', () => app.nextUnsure());
      strip(app, 'paint');
    },
    start() { selectPot(pot); },
  };
}
