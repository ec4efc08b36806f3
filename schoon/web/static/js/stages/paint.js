// Paint: pour pots into patches, sample, lift off, carry to the other drawings.

import { fill, html } from '../dom.js';
import { edit, notice, post } from '../api.js';
import { adopt, paintNow, paintSeen } from '../drawings.js';
import { penDrag } from '../line/pen.js';
import { Ledger } from '../paint/ledger.js';
import { UnsureQueue } from '../paint/queue.js';
import { strip } from './strip.js';

const VIEWS = { run: 'Run', ledger: 'Ledger', unsure: 'Unsure' };

export function paintStage(app) {
  let pot = app.data.pots[0]?.id ?? null;
  const lockedIn = `pots-locked-${app.data.shot.level_id}`;
  const locked = new Set(JSON.parse(localStorage[lockedIn] || '[]'));
  let alone = null;
  let garish = false;
  let view = sessionStorage.paintLedge in VIEWS ? sessionStorage.paintLedge : 'run';

  // Says so if paint of this pot is not to be changed.
  function closed(id) {
    if (!locked.has(id)) return false;
    notice(`${app.data.pots.find((p) => p.id === id)?.name} is locked; unlock it in the dock to paint over it`);
    return true;
  }

  function selectPot(id) {
    pot = id;
    for (const item of document.querySelectorAll('#pots [data-pot]')) item.setAttribute('aria-selected', String(Number(item.dataset.pot) === pot));
    app.showStatus();
  }

  function potName() { return app.data.pots.find((p) => p.id === pot)?.name ?? 'no pot'; }

  function patchUnder(event, at) {
    const node = document.elementsFromPoint(event.clientX, event.clientY).find((n) => n.dataset?.n && n.closest('.patches, .doubts'));
    if (node) return Number(node.dataset.n);
    const [w, h] = app.view.size;
    const shapes = paintSeen(app.current);
    return shapes?.background && at[0] >= 0 && at[1] >= 0 && at[0] < w && at[1] < h ? shapes.background : 0;
  }

  // The shapes of the drawing if paint can go on it; says why not otherwise.
  function ready(lift = false) {
    // The hand does not wait while the drawing is read anew: places are sent, and the server knows its patches.
    const shapes = paintSeen(app.current);
    if (!shapes) notice(app.current.strokes ? 'The patches are still being found; wait a moment' : 'This drawing has no line yet; clean it first');
    else if (!lift && pot === null) notice('Choose a pot in the dock first; a model without pots gets them on its own page');
    else return shapes;
    return null;
  }

  async function send(entry, what, content) {
    const before = entry.revision;
    const sent = performance.now();
    try {
      const answer = await edit(entry, what, content);
      performance.measure('pour', { start: sent });
      // Somebody else's changes are in the drawing too: it is read anew instead of guessed.
      if (answer.merged) { app.changed(entry); return answer; }
      adopt(entry, before, { paint: (old) => ({ ...old, revision: answer.revision, paint: answer.paint, remarks: answer.remarks }) });
      const all = Object.values(answer.paint);
      entry.painted = all.length;
      entry.hand = all.filter((p) => p.by === 'hand').length;
      entry.unsure = all.filter((p) => p.unsure).length;
      app.changed(entry);
      return answer;
    } catch (error) { notice(error.message, true); return null; } finally { app.draw(); }
  }

  function brush(lift) {
    return {
      down(event) {
        const entry = app.current;
        const shapes = ready(lift);
        if (!shapes) return null;
        const hit = new Set();
        const value = lift ? null : pot;
        let first = null;
        const take = (e) => {
          const n = patchUnder(e, app.view.toPaper(e.clientX, e.clientY));
          first ??= n;
          // Dragging never floods the outside: only a click on it does.
          if (!n || hit.has(n)) return;
          if (closed(shapes.paint[n]?.pot)) return;
          if (n === shapes.background && (hit.size || n !== first)) return;
          hit.add(n);
          const node = app.paper.patch(n);
          if (node) app.paper.colour(node, value);
        };
        const started = performance.now();
        take(event);
        requestAnimationFrame(() => performance.measure('pour seen', { start: started }));
        return {
          move: take,
          async up() {
            const points = shapes.patches.filter((p) => hit.has(p.n)).map((p) => p.at);
            if (points.length) await send(entry, 'pour', { points, pot: value });
          },
          cancel() { app.draw(); },
        };
      },
    };
  }

  const ring = {
    id: 'ring', label: 'Ring', key: 'c', get pen() { return `Draw a ring: ${potName().toLowerCase()} into everything unpainted in it`; },
    down(event, at) {
      const entry = app.current;
      if (!ready()) return null;
      return penDrag(app, event, at, async (path, clear) => {
        if (path.length > 2) {
          const answer = await send(entry, 'pour-within', { ring: path.map(([x, y]) => [x, y]), pot });
          if (answer?.patches) notice(`${potName()} in ${answer.patches} patch${answer.patches === 1 ? '' : 'es'}`);
        }
        clear();
      });
    },
  };

  const wholeRun = {
    id: 'whole-run', label: 'Whole run', key: 't', get pen() { return `Pour ${potName().toLowerCase()} into this patch in all drawings`; },
    down(event, at) {
      const shapes = ready();
      const n = shapes && patchUnder(event, at);
      if (!n) return null;
      if (n === shapes.background) { notice('The outside has no track; choose a patch of the figure'); return null; }
      if (closed(shapes.paint[n]?.pot)) return null;
      const where = shapes.patches.find((p) => p.n === n).at;
      notice(`Following this patch through ${app.data.run.length} drawings; what a hand painted otherwise${locked.size ? ' and locked pots stay' : ' stays'}, and it can be undone as one`);
      app.jobs.start(`/api/levels/${app.data.shot.level_id}/jobs`, { kind: 'track', source: app.current.id, at: where, pot, keep: [...locked] });
      return null;
    },
  };

  // One pot alone: the others step back, so that a stray patch stands out.
  function showAlone() {
    const shapes = paintNow(app.current);
    for (const node of app.paper.layers.patches.children) node.classList.toggle('back', alone !== null && shapes?.paint[node.dataset.n]?.pot !== alone);
    for (const item of document.querySelectorAll('#pots [data-pot]')) {
      const id = Number(item.dataset.pot);
      item.querySelector('[data-way="alone"]')?.setAttribute('aria-pressed', String(id === alone));
      item.querySelector('[data-way="lock"]')?.setAttribute('aria-pressed', String(locked.has(id)));
    }
  }

  // Colours as far apart as can be, to see at once what carries which pot; the pots keep their own.
  function testColours(on) {
    garish = on;
    const key = app.data.keys.find((k) => k.id === app.data.key);
    app.data.pots.forEach((p, k) => {
      const colour = on ? `hsl(${(k * 137.5) % 360} ${k % 2 ? 95 : 80}% ${[45, 68, 32][k % 3]}%)` : key?.colours[p.id];
      if (colour) document.documentElement.style.setProperty(`--pot-${p.id}`, colour);
    });
  }

  // A base coat: everything inside the outline that has no paint yet, here or in the chosen drawings.
  async function baseCoat() {
    if (!ready()) return;
    const [w, h] = app.view.size;
    const frame = [[0, 0], [w, 0], [w, h], [0, h]];
    const entries = app.chosen.size > 1 ? app.data.run.filter((d) => app.chosen.has(d.id)) : [app.current];
    let patches = 0;
    for (const entry of entries) {
      if (!entry.strokes) continue;
      const answer = await send(entry, 'pour-within', { ring: frame, pot });
      patches += answer?.patches ?? 0;
    }
    if (patches) notice(`${potName()} as a base coat in ${patches} patch${patches === 1 ? '' : 'es'}`);
  }

  const sample = {
    id: 'sample', label: 'Sample', key: 's', pen: 'Sample a pot from the paper or from the sheet picture',
    sampled(id) { selectPot(id); app.useTool('pour'); },
    down(event, at) {
      const n = patchUnder(event, at);
      const found = paintNow(app.current)?.paint[n]?.pot;
      if (found === undefined || found < 0) notice('There is no paint here to sample');
      else sample.sampled(found);
      return null;
    },
  };

  function counts() {
    const shapes = paintNow(app.current);
    const found = new Map();
    for (const [, paint] of Object.entries(shapes?.paint || {})) found.set(paint.pot, (found.get(paint.pot) || 0) + 1);
    return found;
  }

  const self = {
    look: 'paint',
    tools: [
      { id: 'pour', label: 'Pour', key: 'f', get pen() { return `Pour ${potName().toLowerCase()}`; }, ...brush(false) },
      ring,
      wholeRun,
      { id: 'base', label: 'Base coat', key: 'h', act: baseCoat },
      sample,
      { id: 'lift', label: 'Lift off', key: 'x', pen: 'Lift paint off', ...brush(true) },
    ],
    keys: 'F pour · C ring · T whole run · H base coat · S sample · X lift off · Q W previous or next pot · N next unsure · drag across patches to pour many',
    help: [['Q W', 'previous or next pot'], ['N', 'next unsure patch; in the ledger the next cell that stands out'], ['J K M', 'unsure: take the first, second, third pot'], ['X L', 'unsure: no paint, decide later'], ['B', 'unsure: areas run together, trace the leak at Seal'], ['arrows', 'ledger: step through cells, with Shift choose; Enter goes there'], ['J F X', 'ledger: accept, pour the pot of the dock, lift off']],
    selectPot,
    closed,
    locked: (id) => locked.has(id),
    potWays: [['alone', 'alone'], ['lock', 'lock']],
    potWay(way, id) {
      if (way === 'alone') alone = alone === id ? null : id;
      else {
        if (!locked.delete(id)) locked.add(id);
        localStorage[lockedIn] = JSON.stringify([...locked]);
      }
      showAlone();
    },
    drawn() { showAlone(); },
    extra(tray) {
      const button = document.createElement('button');
      button.id = 'test-colours';
      fill(button, html`Test colours <kbd>V</kbd>`);
      button.setAttribute('aria-pressed', 'false');
      button.addEventListener('click', () => { testColours(!garish); button.setAttribute('aria-pressed', String(garish)); });
      tray.append(button);
    },
    pot: () => pot,
    counts,
    remarks: () => paintNow(app.current)?.remarks,
    async expect() {
      try {
        const found = await post(`/api/drawings/${app.current.id}/expect`);
        notice(`The model counts as in drawing ${app.current.number}: ${found.pots} pots. Every drawing is compared with it`);
        setTimeout(() => window.location.reload(), 900);
      } catch (error) { notice(error.message, true); }
    },
    hover(event, at) { return patchUnder(event, at); },
    key(event) {
      const { pots } = app.data;
      const key = event.key.toLowerCase();
      if (view === 'unsure' && queue.key(key)) return true;
      if (key === 'n' && view === 'ledger') { ledger.nextOdd(); return true; }
      if (key === 'v') { document.getElementById('test-colours').click(); return true; }
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
      fill(head, html`<div class="views" role="tablist" aria-label="Views of the run">${Object.entries(VIEWS).map(([id, label]) => html`<button role="tab" data-view="${id}" aria-selected="${id === view}">${label}${id === 'unsure' && unsure ? html` <b class="ask">${unsure}</b>` : ''}</button>`)}</div>
        <span class="push"></span><span class="acts-here"></span>
        <button id="carry" class="main" title="painted by hand: ${painted.length ? painted.join(', ') : 'none yet'}">Carry paint</button>`);
      for (const tab of head.querySelectorAll('[role="tab"]')) {
        tab.addEventListener('click', () => {
          view = tab.dataset.view;
          sessionStorage.paintLedge = view;
          document.getElementById('ledge-body').replaceChildren();
          queue.cards = null;
          self.ledge();
        });
      }
      head.querySelector('#carry').addEventListener('click', () => {
        notice(`Carrying paint from ${painted.length || 'no'} painted drawing${painted.length === 1 ? '' : 's'} to ${run.length}; what a hand painted${locked.size ? ' and locked pots stay' : ' stays'}, and it can be undone as one`);
        app.jobs.start(`/api/levels/${app.data.shot.level_id}/jobs`, { kind: 'carry', keep: [...locked] });
      });
      const acts = head.querySelector('.acts-here');
      if (view === 'ledger') ledger.show(acts);
      else if (view === 'unsure') queue.show(acts);
      else {
        if (unsure) {
          fill(acts, html`<button id="next-unsure">Next unsure <kbd>N</kbd></button>`);
          acts.firstChild.addEventListener('click', () => app.nextUnsure());
        }
        strip(app, 'paint');
      }
    },
    refreshed() { if (view === 'unsure') queue.load(); },
    start() { selectPot(pot); },
  };
  const ledger = new Ledger(app, self);
  const queue = new UnsureQueue(app, self);
  return self;
}
