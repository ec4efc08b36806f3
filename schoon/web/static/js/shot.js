// The frame of a shot: one drawing on the table, its neighbours in the wings, the run in sheet and ledge.

import { fill, html } from './dom.js';
import { change, get, notice, post } from './api.js';
import * as drawings from './drawings.js';
import { Jobs } from './jobs.js';
import { Paper, roughStep, roughUrl } from './paper.js';
import { Player } from './play.js';
import { Room } from './room.js';
import { catchUp } from './early.js';
import { showPots, wireDock } from './dock.js';
import { heldKeys, wireKeys } from './keyboard.js';
import { HELD } from './keys.js';
import { Levels } from './levels.js';
import { Onion } from './onion.js';
import { Parts } from './parts.js';
import { History } from './history.js';
import { drawSheet, wireSheet } from './sheet.js';
import { handOffStage } from './stages/hand_off.js';
import { lineStage } from './stages/line.js';
import { paintStage } from './stages/paint.js';
import { roughStage } from './stages/rough.js';
import { sealStage } from './stages/seal.js';
import { View } from './view.js';

const $ = (id) => document.getElementById(id);
const data = JSON.parse($('data').textContent);
const STAGES = { rough: roughStage, line: lineStage, seal: sealStage, paint: paintStage, 'hand-off': handOffStage };

export const app = {
  data,
  stage: data.stage,
  byId: new Map(data.run.map((d) => [d.id, d])),
  chosen: new Set(),
  see: 'both',
};

app.current = app.byId.get(Number(new URLSearchParams(location.hash.slice(1)).get('d'))) || data.run[0];

// ---- colours of the key

let colourTag = '';
function useKey(id) {
  const key = data.keys.find((k) => k.id === id) || data.keys[0];
  if (!key) return;
  data.key = key.id;
  const style = document.documentElement.style;
  for (const [pot, colour] of Object.entries(key.colours)) style.setProperty(`--pot-${pot}`, colour);
  for (const pot of data.pots) style.setProperty(`--see-${pot.id}`, pot.opacity / 100);
  style.setProperty('--key-ink', key.ink);
  style.setProperty('--key-backdrop', key.backdrop);
  let hash = 0;
  for (const letter of JSON.stringify([key, data.pots.map((p) => p.opacity)])) hash = (hash * 31 + letter.charCodeAt(0)) | 0;
  colourTag = (hash >>> 0).toString(36);
}

app.colourTag = () => colourTag;
app.viewUrl = (entry, width, look) => `/drawings/${entry.id}/view.webp?w=${width}&look=${look}${look !== 'rough' && data.key ? `&key=${data.key}` : ''}&v=${look === 'rough' ? 'r' : `${entry.revision}.${colourTag}`}`;

// ---- the table

app.view = new View($('table'), [data.shot.width, data.shot.height], () => {
  app.paper?.place(app.view.matrix());
  $('zoom').textContent = `${Math.round(app.view.zoom * 100)} %`;
  app.stageNow?.viewChanged?.();
});
app.paper = new Paper($('paper'), app.view.size);
app.room = new Room(app);
app.jobs = new Jobs(app);
app.parts = new Parts(app);
app.onion = new Onion(app);
app.levels = new Levels(app);
app.showOnion = () => app.onion.show();
const player = new Player(app);
app.tool = () => tool;
let tool = null;
const stage = STAGES[app.stage](app);
app.stageNow = stage;
tool = stage.tools.find((t) => t.down) || null;
let drawn = 0;

// Shows a drawing. flip: only while a key is held, nothing else follows.
app.draw = async function draw(entry = app.current, flip = false) {
  const ticket = ++drawn;
  const wantsPatches = entry.strokes > 0 && ['seal', 'paint', 'hand-off'].includes(app.stage);
  let line = drawings.lineNow(entry);
  let shapes = wantsPatches ? drawings.paintNow(entry) : null;
  if (!line || (wantsPatches && !shapes)) {
    const slow = setTimeout(() => { if (ticket === drawn) $('waiting').hidden = false; }, 250);
    try {
      [line, shapes] = await Promise.all([drawings.line(entry), wantsPatches ? drawings.paint(entry) : null]);
    } catch (error) {
      if (ticket === drawn) notice(error.message, true);
      return;
    } finally { clearTimeout(slow); $('waiting').hidden = true; }
    if (ticket !== drawn) return;
  }
  const hasLine = line.strokes.length > 0;
  const onlyRough = app.stage === 'rough' || (app.stage === 'line' && app.see === 'rough');
  const rough = onlyRough || !hasLine ? 'full' : app.see === 'both' && app.stage === 'line' ? 'faint' : 'off';
  app.paper.rough(entry, line, rough);
  const seen = app.stage === 'line' ? line.strokes.filter((s) => app.parts.seen(s.part)) : line.strokes;
  app.paper.ink(onlyRough ? [] : seen, stage.picked, app.stage === 'line' && !flip);
  app.paper.stitches(app.stage === 'seal' ? line.stitches : [], stage.stitch);
  if (shapes) app.paper.patches(shapes, app.stage === 'seal' ? 'tints' : 'pots', app.stage === 'paint');
  else { app.paper.layers.patches.replaceChildren(); app.paper.layers.doubts.replaceChildren(); }
  $('paper').dataset.drawing = entry.number;
  $('paper').dataset.revision = entry.revision;
  if (flip) { app.paper.layers.onion.replaceChildren(); return; }
  app.showOnion();
  app.levels.show(entry);
  $('undo').disabled = !line.undo;
  $('redo').disabled = !line.redo;
  showPots(app, stage);
  stage.drawn?.();
  prefetch();
};

app.neighbour = function neighbour(step, keysOnly = false) {
  const order = data.run;
  let k = order.indexOf(app.current);
  do { k += step; } while (keysOnly && order[k] && order[k].kind !== 'key');
  return order[k] || null;
};

function prefetch() {
  for (const step of [1, -1]) {
    const entry = app.neighbour(step);
    if (!entry) continue;
    // Its rough too, if roughs are looked at, so that flipping is instant.
    drawings.line(entry).then((line) => {
      if (app.paper.roughOf) new Image().src = roughUrl(entry, line, roughStep(app.view.size[0], app.view.zoom));
    }).catch(() => {});
    if (entry.strokes && ['seal', 'paint'].includes(app.stage)) drawings.paint(entry).catch(() => {});
  }
}

app.showWings = function showWings() {
  for (const [id, step] of [['wing-before', -1], ['wing-after', 1]]) {
    const entry = app.neighbour(step);
    const box = $(id);
    box.hidden = !entry;
    if (!entry) continue;
    const url = app.viewUrl(entry, 380, stage.look);
    if (box.dataset.url !== url) {
      box.dataset.url = url;
      fill(box, html`<span>${entry.number}</span><img fetchpriority="high" src="${url}" alt="Drawing ${entry.number}">`);
    }
    box.setAttribute('aria-label', `${entry.number}, the ${step < 0 ? 'previous' : 'next'} drawing`);
    box.onclick = () => app.go(entry.id);
  }
};
app.showLedge = () => stage.ledge();

app.go = async function go(id, alone = false) {
  const entry = app.byId.get(id);
  if (!entry) return;
  if (player.on) player.stop();
  if (alone) app.chosen.clear();
  if (entry !== app.current) stage.left?.();
  app.current = entry;
  history.replaceState(null, '', `${location.search}#d=${id}`);
  showRun();
  await app.draw();
};

function showRun() {
  drawSheet(app);
  app.showWings();
  stage.ledge();
  app.showStatus();
  for (const link of document.querySelectorAll('.track a')) link.href = `/shots/${data.shot.id}/${link.dataset.stage}?level=${data.shot.level_id}#d=${app.current.id}`;
}

app.chooseTo = function chooseTo(id) {
  const order = data.run.map((d) => d.id);
  const [a, b] = [order.indexOf(app.current.id), order.indexOf(id)].sort((x, y) => x - y);
  app.chosen = new Set(order.slice(a, b + 1));
  showRun();
};

app.lookAt = function lookAt(x, y, zoom) {
  const box = $('table').getBoundingClientRect();
  app.view.zoom = zoom;
  const [a, b, c, d] = app.view.matrix();
  app.view.x = box.width / 2 - (a * x + c * y);
  app.view.y = box.height / 2 - (b * x + d * y);
  app.view.fitted = false;
  app.view.onChange();
};

// ---- what others and jobs have changed

app.refresh = async function refresh() {
  let found;
  try { found = await get(`/api/shots/${data.shot.id}/run?level=${data.shot.level_id}`); } catch (error) { notice(error.message, true); return; }
  let here = false;
  for (const fresh of found.drawings) {
    const entry = app.byId.get(fresh.id);
    if (!entry) continue;
    here = here || (entry === app.current && entry.revision !== fresh.revision);
    Object.assign(entry, fresh);
  }
  Object.assign(data, { spans: found.spans, sheet: found.sheet });
  Object.assign(data.shot, { frames: found.frames, fps: found.fps });
  for (const level of data.levels) Object.assign(level, found.levels.find((l) => l.id === level.id));
  showProgress(found.progress);
  showRun();
  stage.refreshed?.();
  if (here) await app.draw(); else app.showOnion();
};

function showProgress(progress) {
  for (const link of document.querySelectorAll('.track a')) {
    link.classList.toggle('done', progress.done[link.dataset.stage]);
    link.querySelector('.left').textContent = progress.left[link.dataset.stage];
  }
}

let soon = 0;
app.changed = function changed(entry) {
  app.undoes('drawings');
  $('saved').textContent = `saved ${new Date().toTimeString().slice(0, 5)}`;
  $('undo').disabled = false;
  $('redo').disabled = true;
  if (entry === app.current) $('paper').dataset.revision = entry.revision;
  clearTimeout(soon);
  soon = setTimeout(() => app.refresh(), 700);
};

// What undo takes: the last action on time after one in the sheet, on the levels after one there, else on this drawing.
let scope = 'drawings';
async function step(what, subjects = scope) {
  try {
    const found = await post(`/api/${subjects}/${subjects === 'drawings' ? app.current.id : data.shot.id}/${what}`);
    if (found.message) { notice(found.message); return; }
    const many = found.drawings?.length > 1 ? ` on ${found.drawings.length} drawings` : '';
    const pots = found.pots?.length ? `; back in the model: ${found.pots.join(', ')}` : '';
    notice(`${what === 'undo' ? 'Undone' : 'Done again'}: ${found.label || 'the last change'}${many}${pots}`);
    // Pots, keys and levels that came back have to be known to the page.
    if (pots || found.kinds?.some((kind) => kind !== 'time')) setTimeout(() => window.location.reload(), 900);
    await app.refresh();
    await app.draw();
  } catch (error) { notice(error.message, true); }
}
app.step = step;
app.undoes = (subjects) => { scope = subjects; };

app.changeTime = async function changeTime(what, fields) {
  try {
    const time = await change('times', data.shot.id, what, fields);
    app.undoes('times');
    if (time.again) await app.refresh(); else takeTime(time);
  } catch (error) { notice(error.message, true); drawSheet(app); }
};

function takeTime({ frames, fps, levels, marks }) {
  Object.assign(data.shot, { frames, fps });
  Object.assign(data, levels[data.shot.level_id]);
  for (const level of data.levels) level.spans = levels[level.id].spans;
  for (const entry of data.run) entry.kind = marks[entry.id];
  drawSheet(app);
  app.levels.show(app.current);
}

app.nextKind = async function nextKind(entry) {
  const kinds = ['inbetween', 'breakdown', 'key'];
  const kind = kinds[(kinds.indexOf(entry.kind) + 1) % 3];
  await app.changeTime('mark', { level: data.shot.level_id, drawing: entry.id, kind });
};

app.nextUnsure = async function nextUnsure() {
  const order = data.run;
  const from = order.indexOf(app.current);
  const found = [...order.slice(from + 1), ...order.slice(0, from + 1)].find((d) => d.unsure);
  if (!found) { notice('No patch is unsure'); return; }
  await app.go(found.id);
  const shapes = drawings.paintNow(found);
  const patch = shapes?.patches.find((p) => shapes.paint[p.n]?.unsure);
  if (patch) app.lookAt(patch.at[0], patch.at[1], Math.max(1.2, app.view.zoom));
};

// ---- tools and pen

app.useTool = function useTool(id) {
  const found = stage.tools.find((t) => t.id === id);
  if (!found) return;
  if (found.act) { found.act(); return; }
  if (tool !== found) tool?.leave?.();
  tool = found;
  tool.enter?.();
  stage.toolChanged?.();
  for (const button of $('tray').querySelectorAll('[data-tool]')) button.setAttribute('aria-pressed', String(button.dataset.tool === id));
  $('paper').setAttribute('class', `tool-${id}`);
  app.showStatus();
};

app.penSays = (text) => { $('pen-now').textContent = text; };
app.showStatus = () => {
  app.penSays(`${tool?.pen || stage.pen || ''} · drawing ${app.current.number}${app.levels.locked ? ` · ${app.data.shot.level} is locked` : ''}`);
  $('pen-keys').textContent = stage.keys;
};

for (const item of stage.tools) {
  const button = document.createElement('button');
  button.dataset.tool = item.id;
  fill(button, html`${item.label} <kbd>${item.key.toUpperCase()}</kbd>`);
  button.setAttribute('aria-pressed', 'false');
  button.addEventListener('click', () => app.useTool(item.id));
  $('tray').append(button);
}
stage.extra?.($('tray'));
$('tray').hidden = !stage.tools.length;

let stroke = null;
let hovered = null;

$('surface').addEventListener('pointerdown', (event) => {
  if (stroke || event.button > 1) return;
  event.preventDefault();
  app.undoes('drawings');
  $('paper').focus({ preventScroll: true });
  $('surface').setPointerCapture(event.pointerId);
  app.paper.settle();
  if (event.button === 1 || heldKeys.has(HELD.drag)) { stroke = { move: (e) => app.view.move(e.movementX, e.movementY), up() {}, cancel() {} }; return; }
  if (heldKeys.has(HELD.turn)) { stroke = { move: (e) => { const b = $('table').getBoundingClientRect(); app.view.around(b.left + b.width / 2, b.top + b.height / 2, 1, e.movementX * 0.006); }, up() {}, cancel() {} }; return; }
  const once = app.once;
  app.once = null;
  if (once) { stroke = once(event, app.view.toPaper(event.clientX, event.clientY)); return; }
  stroke = tool?.down?.(event, app.view.toPaper(event.clientX, event.clientY)) || null;
});
$('surface').addEventListener('pointermove', (event) => {
  if (stroke) { stroke.move(event); return; }
  if (!stage.hover) return;
  const n = stage.hover(event, app.view.toPaper(event.clientX, event.clientY));
  if (n === hovered) return;
  app.paper.patch(hovered)?.classList.remove('under');
  hovered = n;
  app.paper.patch(n)?.classList.add('under');
  const pot = drawings.paintNow(app.current)?.paint[n]?.pot;
  for (const item of document.querySelectorAll('#pots [data-pot]')) item.classList.toggle('under', Number(item.dataset.pot) === pot);
});
$('surface').addEventListener('dblclick', (event) => tool?.double?.(event, app.view.toPaper(event.clientX, event.clientY)));
const lift = (how) => () => { const done = stroke; stroke = null; done?.[how](); };
$('surface').addEventListener('pointerup', lift('up'));
$('surface').addEventListener('pointercancel', lift('cancel'));
$('table').addEventListener('wheel', (event) => {
  event.preventDefault();
  app.view.around(event.clientX, event.clientY, Math.exp(-event.deltaY * 0.0016), 0);
}, { passive: false });

// ---- switches

function toggle(id, act) {
  $(id).addEventListener('click', () => {
    const on = $(id).getAttribute('aria-pressed') !== 'true';
    $(id).setAttribute('aria-pressed', String(on));
    act(on);
  });
}
$('see-rough').addEventListener('click', () => {
  const ways = { both: 'line', line: 'rough', rough: 'both' };
  app.see = ways[app.see];
  $('see-rough').firstChild.textContent = { both: 'Rough and line ', line: 'Line only ', rough: 'Rough only ' }[app.see];
  app.draw();
});
toggle('see-onion', (on) => { app.onion.on = on; app.onion.show(); });
toggle('see-backdrop', (on) => { document.body.classList.toggle('on-backdrop', on); sessionStorage.backdrop = on ? '1' : ''; });
if (sessionStorage.backdrop && app.stage !== 'rough' && app.stage !== 'line') $('see-backdrop').click();
toggle('dim-room', (on) => { document.body.classList.toggle('dim', on); sessionStorage.dim = on ? '1' : ''; });
if (sessionStorage.dim) $('dim-room').click();
$('sheet-order').addEventListener('click', () => {
  app.byWork = !app.byWork;
  $('sheet-order').textContent = app.byWork ? 'by work' : 'by frame';
  drawSheet(app);
});
$('see-rough').hidden = app.stage !== 'line';
$('see-onion').hidden = app.stage === 'rough';
$('see-backdrop').hidden = !data.key || app.stage === 'rough' || app.stage === 'line';
$('parts-box').hidden = app.stage !== 'line';
$('see-all').addEventListener('click', () => app.view.fit());
$('undo').addEventListener('click', () => step('undo', 'drawings'));
$('redo').addEventListener('click', () => step('redo', 'drawings'));
$('play').addEventListener('click', () => player.toggle());

wireDock(app, useKey);
wireSheet(app);
app.history = new History(app);
wireKeys(app, stage, player, step);

// ---- begin

catchUp($('key'));

useKey(data.key);
app.view.fit();
if (app.current) {
  if (tool) app.useTool(tool.id);
  showRun();
  app.draw();
  stage.start?.();
  for (const id of data.jobs) app.jobs.watch({ id, kind: '', state: 'running', done: 0, total: 1 });
} else {
  $('waiting').hidden = false;
  $('waiting').textContent = 'This shot has no drawings yet';
}
