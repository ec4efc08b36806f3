// Line: clean proposals for the run, and the pen.

import { edit, notice } from '../api.js';
import { adopt, lineNow } from '../drawings.js';
import { make } from '../paper.js';
import { strip } from './strip.js';

const newId = () => Array.from(crypto.getRandomValues(new Uint8Array(5)), (b) => b.toString(16).padStart(2, '0')).join('');

export function lineStage(app) {
  const picked = new Set();
  let steady = 2;
  const ways = { searching: -1, detail: 0.5, line_width: app.data.lineWidth };

  async function traced(path) {
    const entry = app.current;
    const before = { revision: entry.revision };
    const id = newId();
    const width = app.data.lineWidth;
    const ghost = app.paper.layers['pen-layer'].lastElementChild;
    const started = performance.now();
    try {
      const answer = await edit(entry, 'trace', { id, path, width, steady });
      adopt(entry, before.revision, { line: (old) => ({ ...old, revision: answer.revision, strokes: [...old.strokes, answer.stroke] }) });
      entry.strokes += 1;
      if (app.current === entry) make('path', { d: answer.stroke.d, 'data-id': id }, app.paper.layers.ink);
      window.schoonTimes = { ...window.schoonTimes, trace: performance.now() - started };
      app.changed(entry);
    } catch (error) { notice(error.message, true); }
    ghost?.remove();
  }

  async function removePicked() {
    if (!picked.size) { notice('Choose the strokes to delete first: C, then click or drag across them'); return; }
    const entry = app.current;
    const before = entry.revision;
    const ids = [...picked];
    picked.clear();
    try {
      const answer = await edit(entry, 'delete', { ids });
      adopt(entry, before, { line: (old) => ({ ...old, revision: answer.revision, strokes: old.strokes.filter((s) => !ids.includes(s.id)) }) });
      entry.strokes -= ids.length;
      app.changed(entry);
    } catch (error) { notice(error.message, true); }
    app.draw();
  }

  function pick(event) {
    // Lines are thin: what lies within a few screen pixels counts.
    const spots = [[0, 0], [3, 0], [-3, 0], [0, 3], [0, -3], [5, 5], [-5, -5], [5, -5], [-5, 5]];
    for (const [dx, dy] of spots) {
      const node = document.elementFromPoint(event.clientX + dx, event.clientY + dy);
      if (node?.closest?.('.ink')) return node;
    }
    return null;
  }

  const trace = {
    id: 'trace', label: 'Trace', key: 'f', pen: 'Trace',
    down(event, at) {
      if (!lineNow(app.current)) { notice('The drawing is still being read; wait a moment'); return null; }
      const path = [[...at, pressure(event)]];
      const node = make('path', { class: 'pen', 'stroke-width': app.data.lineWidth }, app.paper.layers['pen-layer']);
      const show = () => node.setAttribute('d', `M${path.map((p) => `${p[0].toFixed(1)},${p[1].toFixed(1)}`).join(' ')}`);
      show();
      return {
        move(e) {
          const all = e.getCoalescedEvents?.() || [];
          for (const step of all.length ? all : [e]) path.push([...app.view.toPaper(step.clientX, step.clientY), pressure(step)]);
          show();
        },
        up() { traced(path.map(([x, y, p]) => [Math.round(x * 100) / 100, Math.round(y * 100) / 100, Math.round(p * 1000) / 1000])); },
        cancel() { node.remove(); },
      };
    },
  };

  const choose = {
    id: 'choose', label: 'Choose', key: 'c', pen: 'Choose strokes',
    down(event) {
      if (!event.shiftKey) picked.clear();
      const take = (e) => {
        const node = pick(e);
        if (node) { picked.add(node.dataset.id); node.classList.add('chosen'); }
      };
      for (const node of app.paper.layers.ink.querySelectorAll('.chosen')) if (!picked.has(node.dataset.id)) node.classList.remove('chosen');
      take(event);
      return { move: take, up() { app.penSays(`${picked.size} stroke${picked.size === 1 ? '' : 's'} chosen`); }, cancel() {} };
    },
  };

  return {
    look: 'line',
    tools: [trace, choose, { id: 'delete', label: 'Delete', key: 'x', act: removePicked }],
    extra(tray) {
      const label = document.createElement('label');
      label.innerHTML = '<span>steady hand</span><input type="range" min="0" max="8" step="0.5" value="2" aria-label="Steady hand">';
      label.querySelector('input').addEventListener('input', (event) => { steady = Number(event.target.value); });
      tray.append(label);
    },
    keys: 'F trace · C choose · X delete · E rough · O onion skin · hold 1 2 3 to flip · A D step',
    picked,
    key(event) { if (event.key === 'Delete' || event.key === 'Backspace') { removePicked(); return true; } return false; },
    left() { picked.clear(); },
    ledge() {
      const { run } = app.data;
      const lined = run.filter((d) => d.strokes).length;
      const head = document.getElementById('ledge-head');
      const some = app.chosen.size > 1;
      head.innerHTML = `<h2>Run</h2><span class="quiet">${lined} of ${run.length} lined</span>
        <label>how searching <select id="searching"><option value="-1">found by itself</option><option value="0">tied down</option><option value="0.4">rough</option><option value="0.7">loose</option><option value="1">very loose</option></select></label>
        <label>small detail <input id="detail" type="range" min="0" max="1" step="0.1" value="${ways.detail}"></label>
        <span class="push"></span>
        <button id="clean-this">Clean this drawing</button>
        <button id="clean-all" class="main">${some ? `Clean ${app.chosen.size} chosen` : `Clean all ${run.length}`}</button>`;
      head.querySelector('#searching').value = ways.searching;
      head.querySelector('#searching').addEventListener('change', (e) => { ways.searching = Number(e.target.value); });
      head.querySelector('#detail').addEventListener('change', (e) => { ways.detail = Number(e.target.value); });
      const clean = (drawings) => app.jobs.start(`/api/levels/${app.data.shot.level_id}/jobs`, {
        kind: 'clean', drawings, settings: { ...ways, searching: ways.searching < 0 ? null : ways.searching },
      });
      head.querySelector('#clean-this').addEventListener('click', () => clean([app.current.id]));
      head.querySelector('#clean-all').addEventListener('click', () => {
        const ids = some ? [...app.chosen] : run.map((d) => d.id);
        notice(`Cleaning ${ids.length} drawings; strokes made by hand stay, and it can be undone as one`);
        clean(ids);
      });
      strip(app, 'line');
    },
  };
}

function pressure(event) {
  // A mouse has no pressure: it draws at the middle of the range.
  return event.pointerType === 'mouse' || !event.pressure ? 0.5 : event.pressure;
}
