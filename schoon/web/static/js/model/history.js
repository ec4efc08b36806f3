// Undo and redo on the page of a model, by button and by key.

import { notice, post } from '../api.js';

const table = document.getElementById('pots-table');

async function step(way) {
  try {
    const found = await post(`/api/models/${table.dataset.model}/${way}`);
    if (found.message) { notice(found.message); return; }
    sessionStorage.modelSays = `${way === 'undo' ? 'Undone' : 'Done again'}: ${found.label}`;
    window.location.reload();
  } catch (error) { notice(error.message, true); }
}

for (const way of ['undo', 'redo']) document.getElementById(way).addEventListener('click', () => step(way));
document.addEventListener('keydown', (event) => {
  if (!(event.ctrlKey || event.metaKey) || event.key.toLowerCase() !== 'z') return;
  if (event.target.matches('input:not([type="color"], [type="checkbox"], [type="range"]), textarea')) return;
  event.preventDefault();
  step(event.shiftKey ? 'redo' : 'undo');
});
if (sessionStorage.modelSays) {
  notice(sessionStorage.modelSays);
  delete sessionStorage.modelSays;
}
// What was changed since the page came can be undone too.
document.addEventListener('change', () => { document.getElementById('undo').disabled = false; });
