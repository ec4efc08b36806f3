// Taking in: drop or choose, read what was found, then take in all of it.

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
document.body.addEventListener('htmx:beforeRequest', () => { button.disabled = true; });
document.body.addEventListener('htmx:afterSwap', () => { button.disabled = !token(); });
document.body.addEventListener('htmx:responseError', (event) => {
  document.getElementById('report').innerHTML = '<p class="problem"></p>';
  document.querySelector('#report p').textContent = JSON.parse(event.detail.xhr.responseText || '{}').error || 'The pictures could not be read; try again';
});
document.body.addEventListener('htmx:sendError', () => {
  document.getElementById('report').innerHTML = '<p class="problem">The server does not answer; choose the pictures again when it is back.</p>';
});

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
