// Tones of a colour key: the rule for pots without a colour of their own, seen on all pots before it is kept.

import { notice, post } from '../api.js';
import { change } from '../edits/queue.js';

const form = document.getElementById('tone-rules');
const box = form?.closest('details');
const keys = () => JSON.parse(document.getElementById('keys-data').textContent);

// The rule as it stands in the form.
function rule() {
  const { how, colour, L, a, b } = form.elements;
  const by = how.value === 'shift' ? [L, a, b].map((input) => Number(input.value) || 0)
    : [1, 3, 5].map((k) => parseInt(colour.value.slice(k, k + 2), 16));
  return { how: how.value, by };
}

// The rule of the chosen key and kind, into the form.
function fillIn() {
  const { key, kind, how, colour, L, a, b } = form.elements;
  const found = keys().find((k) => k.id === Number(key.value)).rules[kind.value] ?? JSON.parse(box.dataset.plain)[kind.value];
  how.value = found.how;
  if (found.how === 'shift') [L.value, a.value, b.value] = found.by;
  else colour.value = `#${found.by.map((v) => Math.round(v).toString(16).padStart(2, '0')).join('')}`;
  show();
}

async function show() {
  const { key, kind } = form.elements;
  for (const label of form.querySelectorAll('[data-for]')) label.hidden = !label.dataset.for.split(' ').includes(form.elements.how.value);
  try {
    const found = await post(`/api/models/${box.dataset.model}/keys/${key.value}/tones`, { kind: kind.value, rule: rule() });
    for (const span of form.querySelectorAll('.before')) span.style.background = found.base[span.dataset.pot] || 'none';
    for (const span of form.querySelectorAll('.after')) span.style.background = found.own[span.dataset.pot] ?? found.made[span.dataset.pot] ?? 'none';
    for (const i of form.querySelectorAll('.derived i')) i.textContent = found.own[i.dataset.pot] ? 'its own' : '';
    form.querySelector('.derived').style.background = found.backdrop;
  } catch (error) { notice(error.message, true); }
}

if (form) {
  let soon = 0;
  const later = () => { clearTimeout(soon); soon = setTimeout(show, 80); };
  box.addEventListener('toggle', () => { if (box.open) fillIn(); });
  for (const name of ['key', 'kind']) form.elements[name].addEventListener('change', fillIn);
  form.addEventListener('input', (event) => { if (!['key', 'kind', 'held', 'all'].includes(event.target.name)) later(); });
  const keep = async (what, fields) => {
    const { key, kind } = form.elements;
    try { await change('models', box.dataset.model, what, { key: Number(key.value), kind: kind.value, ...fields }); window.location.reload();
      } catch (error) { notice(error.message, true); }
  };
  form.addEventListener('submit', (event) => { event.preventDefault(); keep('tone-rule', { rule: rule() }); });
  const held = () => [...form.querySelectorAll('[name="held"]:checked')].map((tick) => Number(tick.value));
  form.querySelector('#give-tones').addEventListener('click', async () => {
    const { key, kind } = form.elements;
    try {
      await change('models', box.dataset.model, 'tone-rule', { key: Number(key.value), kind: kind.value, rule: rule() });
      await keep('derive-tones', { held: held(), all: form.elements.all.checked });
    } catch (error) { notice(error.message, true); }
  });
}
