// Taking in: drop or choose, read what was found, then take in all of it.

import { newToken } from './api.js';
import { fill, html } from './dom.js';
import { Movie } from './take_in/movie.js';

const $ = (id) => document.getElementById(id);
const files = $('files');
const chosen = $('chosen');
const shot = $('shot');
const drop = document.querySelector('.drop');
const refused = $('refused');
const button = shot.querySelector('button[type="submit"]');
const taking = $('taking');
let movie = null;
// What the reading that goes on is watched by, and what is being watched; empty for none.
let readNow = '';
let watched = '';

drop.addEventListener('dragover', (event) => { event.preventDefault(); drop.classList.add('over'); });
drop.addEventListener('dragleave', () => drop.classList.remove('over'));
drop.addEventListener('drop', (event) => {
  event.preventDefault();
  drop.classList.remove('over');
  chosen.files = event.dataTransfer.files;
  files.dispatchEvent(new Event('dropped'));
});

const found = () => document.querySelector('#report [data-token]');
const report = $('report');
const say = (words) => { fill(report, html`<p class="problem">${words}</p>`); };

document.body.addEventListener('htmx:configRequest', ({ detail }) => {
  readNow = newToken().slice(0, 24);
  detail.parameters.watched = readNow;
});
// What is too much is said before it is sent.
document.body.addEventListener('htmx:beforeRequest', (event) => {
  button.disabled = true;
  movie?.end();
  movie = null;
  const most = Number(files.dataset.mostMb);
  const megabytes = [...chosen.files].reduce((sum, file) => sum + file.size, 0) / 2 ** 20;
  if (megabytes <= most) return;
  event.preventDefault();
  say(`These files have ${Math.round(megabytes)} MB together; the limit is ${most} MB (SCHOON_MOST_TAKE_IN_MB). Take them in in parts.`);
});
document.body.addEventListener('htmx:xhr:progress', ({ detail: { loaded, total } }) => {
  $('sent').hidden = !total;
  if (total) $('sent').value = loaded / total;
  $('sent-says').textContent = total && loaded < total ? `Sending, ${Math.round((100 * loaded) / total)} %` : 'Reading …';
  if (total && loaded === total && readNow !== watched) reading(readNow);
});

// Says how far many pictures are read, until what was found is there.
async function reading(token) {
  watched = token;
  for (;;) {
    await new Promise((go) => { setTimeout(go, 400); });
    if (token !== readNow) return;
    let now = {};
    try { now = await (await fetch(`/take-in/${token}/progress`)).json(); } catch { /* the next may come */ }
    if (token !== readNow || !now.total) continue;
    $('sent').value = now.done / now.total;
    $('sent-says').textContent = `Reading, ${now.done} of ${now.total} pictures`;
  }
}
document.body.addEventListener('htmx:afterRequest', () => { readNow = ''; watched = ''; });
document.body.addEventListener('htmx:afterSwap', () => {
  const box = found();
  button.disabled = !box;
  const { level, name } = shot.elements;
  if (box?.dataset.called && !name.value) name.value = box.dataset.called;
  if (box?.dataset.watch && level.value === level.defaultValue) level.value = 'Film';
  if (box?.dataset.watch) movie = new Movie(box, shot, (ready) => { button.disabled = !ready; });
  showInto();
});
document.body.addEventListener('htmx:responseError', (event) => {
  let words = '';
  try { words = JSON.parse(event.detail.xhr.responseText).error; } catch { /* no JSON: the words below */ }
  say(words || 'The pictures could not be read; try again');
});
document.body.addEventListener('htmx:sendError', () => {
  say('The server does not answer; choose the pictures again when it is back.');
});

// What was chosen before this script ran is looked at now: pages may come slowly.
window.htmx.onLoad((node) => { if (node === document.body && chosen.files.length) files.dispatchEvent(new Event('dropped')); });

// What becomes of each layer of a file.
function wishes() {
  return [...document.querySelectorAll('.layer-tree li')].map((item) => ({
    index: Number(item.dataset.index), name: item.querySelector('input').value, becomes: item.querySelector('select').value,
  }));
}

shot.addEventListener('submit', async (event) => {
  event.preventDefault();
  if ($('layers')) $('layers').value = JSON.stringify(wishes());
  const content = new FormData(shot);
  content.set('token', found().dataset.token);
  button.disabled = true;
  refused.hidden = true;
  try {
    const response = await fetch(shot.dataset.action, { method: 'POST', body: content, headers: { accept: 'application/json' } });
    const answer = await response.json();
    if (response.ok && answer.watch) { watch(answer.watch); return; }
    if (response.ok) { location.href = answer.url; return; }
    refused.textContent = answer.error;
  } catch {
    refused.textContent = 'The server does not answer; nothing was stored. Try again in a moment.';
  }
  refused.hidden = false;
  button.disabled = false;
});

// Pictures of a movie come one after the other; nothing is stored before the last one, and it can be ended.
async function watch(url) {
  taking.hidden = false;
  taking.querySelector('button').onclick = () => fetch(url.replace('/progress', '/cancel'), { method: 'POST' });
  for (;;) {
    let now;
    try { now = await (await fetch(url)).json(); } catch { now = { state: 'running', done: 0, total: 0 }; }
    const bar = taking.querySelector('progress');
    if (now.total) Object.assign(bar, { max: now.total, value: now.done }); else bar.removeAttribute('value');
    taking.querySelector('span').textContent = `${now.done} of ${now.total} pictures`;
    if (now.state === 'done') { location.href = now.result.url; return; }
    if (now.state !== 'running') {
      taking.hidden = true;
      refused.textContent = now.state === 'cancelled' ? 'Ended; nothing was stored.' : now.message || now.error;
      refused.hidden = false;
      button.disabled = false;
      return;
    }
    await new Promise((go) => { setTimeout(go, 400); });
  }
}

// A further level has its shot's name and rate; layers and movies say of themselves what they are.
function showInto() {
  const box = found();
  const own = { 'only-new': Boolean(shot.elements.into.value), 'only-fresh': false, 'only-pictures': Boolean(box && (box.dataset.watch || $('layers'))),
    'only-level': Boolean($('layers')), 'only-drawn': Boolean(box?.dataset.watch) };
  // New roughs keep the level's name, time, model and purpose.
  if (shot.elements.into.value.startsWith('again:')) for (const name of Object.keys(own)) own[name] = true;
  for (const [name, hides] of Object.entries(own)) {
    for (const label of shot.querySelectorAll(`.${name}`)) {
      label.hidden = hides;
      for (const field of label.querySelectorAll('input, select')) field.disabled = hides;
    }
  }
}
shot.elements.into.addEventListener('change', showInto);
showInto();
