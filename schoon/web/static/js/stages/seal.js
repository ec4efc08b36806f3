// Seal: gap cards through the whole shot, and stitches by hand.

import { CARD } from '../keys.js';
import { fill, html } from '../dom.js';
import { change, edit, get, notice, post } from '../api.js';
import { lineNow } from '../drawings.js';
import { make } from '../paper.js';

export function sealStage(app) {
  let cards = [];
  let judged = 0;
  let at = 0;
  let chosen = null;
  let limit = 0.75;
  let leak = null;
  let part = {}; // the smallest part of the model, as large as it is in the drawing on the table
  let partOf = null;

  async function load() {
    try {
      const found = await get(`/api/shots/${app.data.shot.id}/gaps?level=${app.data.shot.level_id}`);
      ({ cards, judged } = found);
      at = Math.min(at, Math.max(0, cards.length - 1));
      show();
    } catch (error) { notice(error.message, true); }
  }

  function show() {
    const head = document.getElementById('ledge-head');
    fill(head, html`<h2 title="worst doubt first, whole shot">Gaps</h2>
      <span class="${cards.length ? 'ask' : 'quiet'}" title="${judged} judged by hand">${cards.length} to judge</span>
      <span class="push"></span><button id="gap-take">Take <kbd>J</kbd></button><button id="gap-leave">Leave open <kbd>K</kbd></button><button id="gap-later">Later <kbd>L</kbd></button>
      <label title="Take all that wait with less doubt than this">below <input id="gap-limit" type="number" min="0.05" max="1" step="0.05" value="${limit}"></label><button id="gap-under"></button>
      <button id="find-gaps">Look again</button>`);
    const under = head.querySelector('#gap-under');
    const count = () => cards.filter((c) => c.doubt < limit).length;
    const say = () => { under.textContent = `Take all ${count()}`; under.disabled = !count(); };
    say();
    head.querySelector('#gap-limit').addEventListener('input', (event) => { limit = Number(event.target.value) || limit; say(); });
    under.addEventListener('click', takeUnder);
    head.querySelector('#gap-take').addEventListener('click', () => judge('taken'));
    head.querySelector('#gap-leave').addEventListener('click', () => judge('left'));
    head.querySelector('#gap-later').addEventListener('click', later);
    head.querySelector('#find-gaps').addEventListener('click', () => app.jobs.start(`/api/levels/${app.data.shot.level_id}/jobs`, {
      kind: 'seal', drawings: app.chosen.size > 1 ? [...app.chosen] : null,
    }));
    const body = document.getElementById('ledge-body');
    if (!cards.length) {
      fill(body, html`<p class="empty">No gap is waiting to be judged. Patches are tinted on the paper: two forms of one tint leak into each other, and a stitch (T) parts them.</p>`);
      return;
    }
    body.replaceChildren(...cards.slice(0, 80).map((card, k) => {
      const node = document.createElement('button');
      node.className = 'gap-card';
      if (k === at) node.setAttribute('aria-current', 'true');
      fill(node, html`<img src="/drawings/${card.drawing}/gap/${card.stitch}.png?v=${card.revision}" alt="Gap in drawing ${card.number}" loading="lazy"><span>drawing ${card.number}<i class="quiet">${card.width} px</i><b>${card.doubt.toFixed(2)}</b></span>${card.like ? html`<span class="like">as in ${card.like.number}: ${card.like.state === 'taken' ? 'take' : 'leave open'} <kbd>U</kbd></span>` : ''}`);
      node.title = card.reason;
      node.addEventListener('click', () => { at = k; look(); });
      return node;
    }));
    body.querySelector('[aria-current]')?.scrollIntoView({ block: 'nearest', inline: 'nearest' });
  }

  async function look() {
    show();
    const card = cards[at];
    if (!card) return;
    chosen = card.stitch;
    await app.go(card.drawing);
    const [x, y] = card.points[Math.floor(card.points.length / 2)];
    app.lookAt(x, y, Math.max(2, app.view.zoom));
    app.penSays(`${card.reason}, ${card.width} px wide`);
  }

  async function judge(state, card = cards[at]) {
    if (!card) { notice('There is no gap to judge'); return; }
    const entry = app.byId.get(card.drawing);
    cards = cards.filter((c) => c !== card);
    judged += state === 'left';
    at = Math.min(at, Math.max(0, cards.length - 1));
    show();
    try {
      await edit(entry, 'judge', { stitch: card.stitch, state });
      entry.open_gaps = Math.max(0, entry.open_gaps - 1);
      app.changed(entry);
      await load();
      if (cards[at]) look(); else app.draw();
    } catch (error) { notice(error.message, true); load(); }
  }

  async function takeUnder() {
    try {
      const done = await change('levels', app.data.shot.level_id, 'take-under', { under: limit });
      if (!done.again) notice(`${done.things} stitch${done.things === 1 ? '' : 'es'} taken in ${done.drawings.length} drawing${done.drawings.length === 1 ? '' : 's'}; undone as one`);
      await app.refresh();
      await app.draw();
    } catch (error) { notice(error.message, true); }
  }

  async function setSpecks(field) {
    const under = Number(field.value);
    field.blur();
    if (part.area && under > part.area) notice(`${part.pot} is about ${part.area} px² here: it goes too`, true, 9000);
    app.jobs.start(`/api/levels/${app.data.shot.level_id}/jobs`, { kind: 'specks', under });
  }

  // A quarter of the smallest part of the model keeps it through turns and perspective.
  async function showPart() {
    const entry = app.current;
    const asked = `${entry.id}/${entry.revision}`;
    if (partOf === asked) return;
    partOf = asked;
    const found = await get(`/api/drawings/${entry.id}/smallest`).catch(() => ({}));
    if (partOf !== asked) return;
    part = found;
    const button = document.getElementById('specks-part');
    const limit = Math.floor((part.area || 0) / 4);
    button.hidden = limit < 1;
    button.textContent = `${part.pot} ${part.area} px²`;
    button.title = `${part.pot} is the smallest part of the model, about ${part.area} px² in this drawing. Press: specks under a quarter of it, ${limit} px², join their neighbour`;
    button.onclick = () => { const field = document.getElementById('specks'); field.value = limit; setSpecks(field); };
  }

  function later() {
    if (!cards.length) return;
    cards.push(...cards.splice(at, 1));
    look();
  }

  const stitch = {
    id: 'stitch', label: 'Stitch', key: 't', pen: 'Draw a stitch',
    down(event, from) {
      const path = [from];
      const node = make('path', { class: 'pen', 'stroke-width': 2, style: 'stroke: var(--alarm)' }, app.paper.layers['pen-layer']);
      const draw = () => node.setAttribute('d', `M${path.map((p) => p.map((v) => v.toFixed(1)).join(',')).join(' ')}`);
      return {
        move(e) { path.push(app.view.toPaper(e.clientX, e.clientY)); draw(); },
        async up() {
          node.remove();
          const entry = app.current;
          try { await edit(entry, 'stitch', { points: thin(path) }); app.changed(entry); app.draw(); } catch (error) { notice(error.message, true); }
        },
        cancel() { node.remove(); },
      };
    },
  };

  const choose = {
    id: 'choose', label: 'Choose', key: 'c', pen: 'Choose a stitch',
    down(event) {
      const node = document.elementFromPoint(event.clientX, event.clientY);
      chosen = node?.closest?.('.stitches') ? node.dataset.id : null;
      app.draw();
      return null;
    },
  };

  async function traceLeak(at, to) {
    const entry = app.current;
    try {
      leak = { ...(await post(`/api/drawings/${entry.id}/leak`, { at, to })), entry };
      app.draw();
      const [a, b] = leak.points;
      app.lookAt((a[0] + b[0]) / 2, (a[1] + b[1]) / 2, Math.max(1.5, app.view.zoom));
      app.penSays(`it runs out here, ${leak.width} px wide · J shuts it, K lets it be`);
    } catch (error) { leak = null; app.draw(); notice(error.message); }
  }

  // A leak that Paint has found comes with the address.
  async function start() {
    await load();
    const asked = new URLSearchParams(location.search).get('leak')?.split(',').map(Number);
    if (asked?.length !== 4 || asked.some(Number.isNaN)) return;
    history.replaceState(null, '', `?level=${app.data.shot.level_id}${location.hash}`);
    app.useTool('leak');
    await traceLeak(asked.slice(0, 2), asked.slice(2));
  }

  // Shows where paint poured at the pen would run out; a drag says to where. J keeps the stitch, K lets it be.
  const leakTool = {
    id: 'leak', label: 'Trace leak', key: 'v', pen: 'Trace a leak: click inside the form that leaks, or drag to where it runs',
    down(event, from) {
      let to = null;
      return {
        move(e) { to = app.view.toPaper(e.clientX, e.clientY); },
        up() {
          const far = to && Math.hypot(to[0] - from[0], to[1] - from[1]) * app.view.zoom > 12;
          traceLeak(from, far ? to : null);
        },
        cancel() {},
      };
    },
    leave() { leak = null; app.paper.ghost([]); },
  };

  async function keepLeak(keep) {
    const found = leak;
    leak = null;
    if (keep) {
      try { await edit(found.entry, 'stitch', { points: found.points }); app.changed(found.entry); } catch (error) { notice(error.message, true); }
    }
    app.showStatus();
    app.draw();
  }

  async function remove() {
    if (!chosen) { notice('Choose a stitch first: C, then click it'); return; }
    const entry = app.current;
    const id = chosen;
    chosen = null;
    try { await edit(entry, 'unstitch', { stitch: id }); app.changed(entry); app.draw(); load(); } catch (error) { notice(error.message, true); }
  }

  return {
    look: 'line',
    tools: [stitch, leakTool, choose, { id: 'delete', label: 'Delete', key: 'x', act: remove }],
    keys: 'J take · K leave open · L later · T stitch · V trace a leak · C choose · X delete · hold 1 2 3 to flip · A D step',
    help: [['J K L', 'take the stitch, leave the gap open, decide later'], ['U', 'judge it as the same gap next door']],
    get stitch() { return chosen; },
    key(event) {
      const key = event.key.toLowerCase();
      if (leak && (key === CARD.take || key === CARD.other)) keepLeak(key === CARD.take);
      else if (key === CARD.take) judge('taken');
      else if (key === CARD.other) judge('left');
      else if (key === CARD.later) later();
      else if (key === 'u') { if (cards[at]?.like) judge(cards[at].like.state); else notice('The same gap has not been judged next door'); }
      else return false;
      return true;
    },
    extra(tray) {
      const label = document.createElement('label');
      label.className = 'specks';
      label.title = 'Areas smaller than this join the neighbour that is nearest, in all drawings of the level';
      fill(label, html`Specks under <span><input id="specks" type="number" min="0" max="5000" step="1"> px²</span><button id="specks-part" type="button" hidden></button>`);
      label.querySelector('input').addEventListener('change', (event) => setSpecks(event.target));
      tray.append(label);
    },
    drawn() {
      const field = document.getElementById('specks');
      if (document.activeElement !== field) field.value = lineNow(app.current)?.specks ?? '';
      showPart();
      app.paper.ghost(leak && leak.entry === app.current ? [leak] : []);
    },
    ledge: show,
    refreshed: load,
    start,
  };
}

function thin(path) {
  const step = Math.max(1, Math.floor(path.length / 60));
  const kept = path.filter((_, k) => k % step === 0 || k === path.length - 1);
  return kept.length > 1 ? kept : [...kept, ...kept];
}
