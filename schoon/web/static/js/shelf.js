// On the shelf a shot plays while the pointer rests on its strip.

import { refused } from './api.js';

for (const strip of document.querySelectorAll('.strip')) {
  let timer = 0;
  let screen = null;
  const images = [...strip.querySelectorAll('.of-strip img')];
  const start = () => {
    if (images.length < 2 || screen) return;
    screen = new Image();
    screen.className = 'playing';
    screen.alt = '';
    strip.append(screen);
    let k = 0;
    const show = () => { screen.src = images[k % images.length].src; k += 1; };
    show();
    // The strip leaves drawings out, so it plays at an even, readable pace rather than the shot's own.
    timer = setInterval(show, 140);
  };
  const stop = () => { clearInterval(timer); screen?.remove(); screen = null; };
  strip.addEventListener('pointerenter', start);
  strip.addEventListener('pointerleave', stop);
  strip.addEventListener('focus', start);
  strip.addEventListener('blur', stop);
}

// Shots are found by what their card says, and put in order within their production.
const find = document.getElementById('find-shot');
const sort = document.getElementById('sort-shots');
const rows = [...document.querySelectorAll('.shot-row')];

function show() {
  const asked = find.value.trim().toLowerCase().split(/\s+/).filter(Boolean);
  let found = 0;
  for (const row of rows) {
    const production = row.closest('.production').querySelector('h1').textContent;
    const said = `${production} ${row.querySelector('.shot-words').textContent}`.toLowerCase();
    row.hidden = !asked.every((word) => said.includes(word));
    found += row.hidden ? 0 : 1;
  }
  document.getElementById('found-shots').textContent = asked.length ? `${found} of ${rows.length} shots` : '';
}

function order() {
  const by = {
    made: (a, b) => a.dataset.made - b.dataset.made, name: (a, b) => a.dataset.name.localeCompare(b.dataset.name, undefined, { numeric: true }),
    worked: (a, b) => b.dataset.worked.localeCompare(a.dataset.worked), open: (a, b) => b.dataset.open - a.dataset.open,
  }[sort.value] ?? (() => 0);
  for (const section of document.querySelectorAll('.production')) {
    const own = rows.filter((row) => section.contains(row)).sort(by);
    const anchor = section.querySelector('.shot-row')?.previousElementSibling;
    anchor?.after(...own);
  }
  localStorage.shelfOrder = sort.value;
}

if (find) {
  find.addEventListener('input', show);
  sort.addEventListener('change', order);
  sort.value = [...sort.options].some(({ value }) => value === localStorage.shelfOrder) ? localStorage.shelfOrder : 'made';
  if (sort.value !== 'made') order();
}

// Offered until somebody does not want it.
const offer = document.getElementById('first-offer');
if (offer) {
  offer.hidden = localStorage.firstOffer === 'no';
  offer.querySelector('button').addEventListener('click', () => { localStorage.firstOffer = 'no'; offer.hidden = true; });
}

// What is refused of a level is said; its row stays as it was.
document.body.addEventListener('htmx:responseError', ({ detail: { xhr } }) => refused(xhr.responseText));
