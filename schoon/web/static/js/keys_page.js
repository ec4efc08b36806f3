// The page of keys: each meaning with its key, which is changed by pressing another; what is meant twice is named.

import { notice } from './api.js';
import { fill, html } from './dom.js';
import { conflicts, keep, MEANINGS, own, PEN, pressed, sound, written } from './keys.js';
import { ONE } from './shot/fingers.js';

const $ = (id) => document.getElementById(id);
// What the page itself and the browser need.
const FIXED = ['escape', 'enter', 'tab', 'delete', 'backspace', 'arrowup', 'arrowdown', 'arrowleft', 'arrowright', 'shift', 'control', 'alt', 'meta'];

let mine = own();
let waiting = null;

const keyOf = (meant) => mine.keys[meant] ?? meant;

function changed() {
  keep(mine);
  mine = own();
  show();
}

function show() {
  const twice = conflicts(mine.keys);
  const bad = new Set(twice.map(([key]) => key));
  $('keys-conflicts').hidden = !twice.length;
  fill($('keys-conflicts'), twice.map(([key, what]) =>
    html`<span><kbd>${written(key)}</kbd> means ${what.length} things: ${what.join('; ')}. Give one of them another key</span>`));
  fill($('keys-groups'), MEANINGS.map(([group, list]) => html`<section><h2>${group}</h2><ul>${list.map(([meant, words]) => {
    const key = keyOf(meant);
    return html`<li class="${bad.has(key) && key ? 'twice' : ''}"><button data-meant="${meant}"
      aria-label="${waiting === meant ? 'press a key' : key ? written(key) : 'none'}, key for: ${words}">${waiting === meant ? 'press a key'
        : html`<kbd>${key ? written(key) : 'none'}</kbd>`}</button><span>${words}</span>${key === meant ? ''
          : html`<button class="back" data-back="${meant}" aria-label="${words}: as it came">↺</button>`}</li>`;
  })}</ul></section>`));
  fill($('keys-pen'), html`${PEN.map(([what, words, choices, first]) => html`<label>${words} <select data-pen="${what}"
    autocomplete="off">${choices.map(([id, said]) => html`<option value="${id}"
      ${id === (mine.pen[what] ?? first) ? 'selected' : ''}>${said}</option>`)}</select></label>`)}
    <label>beside a pen <select id="one-finger"
      autocomplete="off">${Object.entries(ONE)
        .map(([id, said]) => html`<option value="${id}" ${id === (localStorage.oneFinger ?? 'pans') ? 'selected' : ''}>${said}</option>`)}</select></label>
    <label><input id="pen-seen" type="checkbox" ${localStorage.penSeen === 'yes' ? 'checked' : ''}
      autocomplete="off"> I draw with a pen: touch only moves the paper</label>`);
  for (const button of document.querySelectorAll('[data-meant]')) button.addEventListener('click',
    () => { waiting = waiting === button.dataset.meant ? null : button.dataset.meant; show();
      document.querySelector(`[data-meant="${CSS.escape(button.dataset.meant)}"]`).focus(); });
  for (const button of document.querySelectorAll('[data-back]')) button.addEventListener('click', () => { delete mine.keys[button.dataset.back]; changed(); });
  for (const select of document.querySelectorAll('[data-pen]')) select.addEventListener('change',
    () => { mine.pen[select.dataset.pen] = select.value; changed(); });
  $('one-finger').addEventListener('change', ({ target }) => { localStorage.oneFinger = target.value; });
  $('pen-seen').addEventListener('change', ({ target }) => { localStorage.penSeen = target.checked ? 'yes' : ''; });
}

document.addEventListener('keydown', (event) => {
  if (!waiting) return;
  const key = pressed(event);
  if (FIXED.includes(key) && key !== 'escape') return;
  event.preventDefault();
  event.stopPropagation();
  const meant = waiting;
  waiting = null;
  if (key === 'escape' || event.ctrlKey || event.metaKey || event.altKey) { show(); return; }
  if (key === meant) delete mine.keys[meant]; else mine.keys[meant] = key;
  changed();
  document.querySelector(`[data-meant="${CSS.escape(meant)}"]`)?.focus();
}, true);

$('keys-reset').addEventListener('click', () => { mine = { keys: {}, pen: {} }; changed(); notice('All keys are as they came'); });
$('keys-save').addEventListener('click', () => {
  const link = Object.assign(document.createElement('a'),
    { href: URL.createObjectURL(new Blob([JSON.stringify(mine, null, 2)], { type: 'application/json' })), download: 'keys.json' });
  link.click();
  URL.revokeObjectURL(link.href);
});
$('keys-file').addEventListener('change', async ({ target }) => {
  const [file] = target.files;
  if (!file) return;
  try {
    const said = JSON.parse(await file.text());
    if (typeof said?.keys !== 'object' || !said.keys) throw new Error('no keys');
    mine = sound(said);
    changed();
    notice(`The keys of ${file.name} are yours now`);
  } catch { notice(`${file.name} holds no keys; choose a file that was saved on this page`, true); }
  target.value = '';
});
$('keys-back').addEventListener('click', () => { if (window.history.length > 1) window.history.back(); else window.location.assign('/'); });
show();
