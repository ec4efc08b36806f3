// Deriving a colour key: by light, or from a painted picture; side by side before it is kept.

import { notice, post, upload } from '../api.js';
import { change } from '../edits/queue.js';

const keyOf = (id) => JSON.parse(document.getElementById('keys-data').textContent).find((k) => k.id === Number(id));
const derive = document.getElementById('derive');

// The key in its new light, beside the one it comes from, before it is kept.
async function showDerived(name = '') {
  const source = keyOf(derive.from.value);
  const want = {
    light: derive.light.value, strength: Number(derive.strength.value), darkness: Number(derive.darkness.value), name,
    held: [...derive.querySelectorAll('[name="held"]:checked')].map((box) => Number(box.value)),
  };
  const model = derive.closest('details').dataset.model;
  const found = await post(`/api/models/${model}/keys/${source.id}/derive`, want);
  for (const span of derive.querySelectorAll('.before')) span.style.background = source.colours[span.dataset.pot] || 'none';
  for (const span of derive.querySelectorAll('.after')) span.style.background = found.colours[span.dataset.pot] || 'none';
  document.getElementById('derived').style.background = found.backdrop;
  document.getElementById('derived-words').textContent = found.close.length
    ? `Too close to tell apart: ${found.close.slice(0, 5).map(([a, b, d]) => `${a} and ${b} (${d})`).join(', ')}` : 'All pots can be told apart.';
  return found;
}

if (derive) {
  let soon = 0;
  const later = () => { clearTimeout(soon); soon = setTimeout(() => showDerived().catch((error) => notice(error.message, true)), 80); };
  derive.addEventListener('input', (event) => { if (event.target.name !== 'name') later(); });
  derive.closest('details').addEventListener('toggle', later);
  derive.addEventListener('submit', async (event) => {
    event.preventDefault();
    if (!derive.elements.name.value.trim()) { notice('Give the new key a name first', true); return; }
    try { await showDerived(derive.elements.name.value.trim()); window.location.reload(); } catch (error) { notice(error.message, true); }
  });
}

const reading = document.getElementById('read-key');
let read = null;

function showRead() {
  const source = keyOf(reading.elements.from.value);
  for (const label of reading.querySelectorAll('.derived label')) {
    const pot = label.dataset.pot;
    label.querySelector('.before').style.background = source.colours[pot] || 'none';
    label.querySelector('.after').style.background = read.colours[pot] || 'none';
    label.querySelector('i').textContent = read.seen.includes(Number(pot)) ? 'seen' : 'by light';
  }
}

async function readPicture() {
  const file = reading.elements.file.files[0];
  if (!file) return;
  const content = new FormData();
  content.append('file', file);
  reading.setAttribute('aria-busy', 'true');
  try {
    read = await upload(`/api/models/${reading.dataset.model}/keys/${reading.elements.from.value}/picture`, content);
    const rest = Object.keys(read.colours).length - read.seen.length;
    document.getElementById('read-words').textContent = [
      read.where ? `The picture shows ${read.where}: colours are taken from the places of its pots.`
        : 'No painted drawing shows what is in the picture: colours are given to pots by the light that explains them best. Look at each.',
      `${read.seen.length} pots are seen in it${rest ? `, ${rest} follow their light` : ''}.`,
      read.smeared ? 'Its colours are smeared by edges, noise or JPEG; the middle of each is taken.' : '',
      read.close.length ? `Too close to tell apart: ${read.close.slice(0, 4).map(([a, b, d]) => `${a} and ${b} (${d})`).join(', ')}.` : '',
    ].filter(Boolean).join(' ');
    reading.querySelector('.read').hidden = false;
    reading.querySelector('img').src = `/pictures/${read.picture}`;
    showRead();
  } catch (error) { notice(error.message, true); } finally { reading.removeAttribute('aria-busy'); }
}

if (reading) {
  reading.elements.file.addEventListener('change', readPicture);
  reading.elements.from.addEventListener('change', () => { if (read) readPicture(); });
  reading.querySelector('img').addEventListener('click', async (event) => {
    const pot = reading.querySelector('[name="into"]:checked')?.value;
    if (!pot) { notice('Choose the pot that this place is first'); return; }
    const { naturalWidth, naturalHeight, width, height } = event.target;
    try {
      const found = await post(`/api/models/${reading.dataset.model}/sample`,
        { picture: read.picture, at: [(event.offsetX / width) * naturalWidth, (event.offsetY / height) * naturalHeight] });
      read.colours[pot] = found.colour;
      if (!read.seen.includes(Number(pot))) read.seen.push(Number(pot));
      showRead();
    } catch (error) { notice(error.message, true); }
  });
  reading.addEventListener('submit', async (event) => {
    event.preventDefault();
    if (!read) { notice('Choose a picture first', true); return; }
    if (!reading.elements.name.value.trim()) { notice('Give the new key a name first', true); return; }
    try {
      await change('models', reading.dataset.model, 'add-key',
        { name: reading.elements.name.value.trim(), like: Number(reading.elements.from.value), colours: read.colours, picture: read.picture });
      window.location.reload();
    } catch (error) { notice(error.message, true); }
  });
}
