// Taking in: drop or choose, read what was found, then take in all of it.

import { fill, html } from './dom.js';

const files = document.getElementById('files');
const chosen = document.getElementById('chosen');
const shot = document.getElementById('shot');
const drop = document.querySelector('.drop');
const refused = document.getElementById('refused');
const button = shot.querySelector('button');

drop.addEventListener('dragover', (event) => { event.preventDefault(); drop.classList.add('over'); });
drop.addEventListener('dragleave', () => drop.classList.remove('over'));
drop.addEventListener('drop', (event) => {
  event.preventDefault();
  drop.classList.remove('over');
  chosen.files = event.dataTransfer.files;
  files.dispatchEvent(new Event('dropped'));
});

const token = () => document.querySelector('#report [data-token]')?.dataset.token;
const report = document.getElementById('report');
const say = (words) => { fill(report, html`<p class="problem">${words}</p>`); };

// What is too much is said before it is sent.
document.body.addEventListener('htmx:beforeRequest', (event) => {
  button.disabled = true;
  const most = Number(files.dataset.mostMb);
  const megabytes = [...chosen.files].reduce((sum, file) => sum + file.size, 0) / 2 ** 20;
  if (megabytes <= most) return;
  event.preventDefault();
  say(`These files have ${Math.round(megabytes)} MB together; the limit is ${most} MB (SCHOON_MOST_TAKE_IN_MB). Take them in in parts.`);
});
document.body.addEventListener('htmx:afterSwap', () => { button.disabled = !token(); });
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

shot.addEventListener('submit', async (event) => {
  event.preventDefault();
  const content = new FormData(shot);
  content.set('token', token());
  button.disabled = true;
  refused.hidden = true;
  try {
    const response = await fetch(shot.dataset.action, { method: 'POST', body: content, headers: { accept: 'application/json' } });
    const answer = await response.json();
    if (response.ok) { location.href = answer.url; return; }
    refused.textContent = answer.error;
  } catch {
    refused.textContent = 'The server does not answer; nothing was stored. Try again in a moment.';
  }
  refused.hidden = false;
  button.disabled = false;
});

// A further level has its shot's name and rate.
function showInto() {
  for (const label of shot.querySelectorAll('.only-new')) {
    label.hidden = Boolean(shot.elements.into.value);
    for (const field of label.querySelectorAll('input, select')) field.disabled = label.hidden;
  }
}
shot.elements.into.addEventListener('change', showInto);
showInto();
