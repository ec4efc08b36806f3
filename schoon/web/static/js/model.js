// A colour changed here changes on every drawing that carries the pot; the line rule is laid on lines at Line.

import { notice, post } from './api.js';

for (const well of document.querySelectorAll('.well input')) {
  let before = well.value;
  well.addEventListener('change', async () => {
    try {
      await post(`/api/keys/${well.dataset.key}/colour`, { pot: Number(well.dataset.pot), colour: well.value });
      before = well.value;
      well.nextElementSibling.textContent = well.value;
    } catch (error) {
      well.value = before;
      notice(error.message, true);
    }
  });
}

const rule = document.getElementById('line-rule');

// The rule as it looks: an outline, an inner line and a detail, with their ends and a corner.
function showRule() {
  const value = (name) => Number(rule[name].value) || 1;
  const line = (y, width, name) => {
    const taper = Math.min(value('taper') || 0, 90);
    const h = width / 2;
    return `<path d="M10 ${y} Q${10 + taper / 2} ${y - h} ${10 + taper} ${y - h} L${190} ${y - h} L190 ${y + h} L${10 + taper} ${y + h} Q${10 + taper / 2} ${y + h} 10 ${y} Z" fill="currentColor"/><text x="200" y="${y + 4}" font-size="12">${name}</text>`;
  };
  rule.querySelector('svg').innerHTML = ['outline', 'inner', 'detail'].map((name, k) => line(8 + 14 * k, Math.min(12, value(name)), name)).join('');
}

if (rule) {
  showRule();
  rule.addEventListener('submit', (event) => event.preventDefault());
  rule.addEventListener('input', showRule);
  rule.addEventListener('change', async () => {
    const want = { corner: rule.corner.value };
    for (const name of ['outline', 'inner', 'detail', 'taper']) want[name] = Number(rule[name].value);
    try {
      await post(`/api/models/${rule.dataset.model}/rule`, want);
      notice('Line rule kept; lay it on the lines at Line with “Weigh by the line rule”');
    } catch (error) { notice(error.message, true); }
  });
}

const derive = document.getElementById('derive');

// The key in its new light, beside the one it comes from, before it is kept.
async function showDerived(name = '') {
  const keys = JSON.parse(document.getElementById('keys-data').textContent);
  const source = keys.find((k) => k.id === Number(derive.from.value));
  const want = {
    light: derive.light.value, strength: Number(derive.strength.value), darkness: Number(derive.darkness.value), name,
    held: [...derive.querySelectorAll('[name="held"]:checked')].map((box) => Number(box.value)),
  };
  const model = derive.closest('details').dataset.model;
  const found = await post(`/api/models/${model}/keys/${source.id}/derive`, want);
  for (const span of derive.querySelectorAll('.before')) span.style.background = source.colours[span.dataset.pot] || 'none';
  for (const span of derive.querySelectorAll('.after')) span.style.background = found.colours[span.dataset.pot] || 'none';
  document.getElementById('derived').style.background = found.backdrop;
  document.getElementById('derived-words').textContent = found.close.length ? `Too close to tell apart: ${found.close.slice(0, 5).map(([a, b, d]) => `${a} and ${b} (${d})`).join(', ')}` : 'All pots can be told apart.';
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

const table = document.getElementById('pots-table');

function rename(span) {
  const id = span.closest('tr').dataset.pot;
  const input = Object.assign(document.createElement('input'), { value: span.textContent, maxLength: 60, size: 12 });
  span.replaceWith(input);
  input.focus();
  input.select();
  let over = false;
  const done = async (keep) => {
    if (over) return;
    over = true;
    if (keep && input.value.trim() && input.value !== span.textContent) {
      try { span.textContent = (await post(`/api/models/${table.dataset.model}/pots/${id}/name`, { name: input.value })).name; } catch (error) { notice(error.message, true); }
    }
    input.replaceWith(span);
    span.focus();
  };
  input.addEventListener('keydown', (event) => { if (event.key === 'Enter') done(true); if (event.key === 'Escape') done(false); });
  input.addEventListener('blur', () => done(true));
}

async function remove(row) {
  const url = `/api/models/${table.dataset.model}/pots/${row.dataset.pot}/delete`;
  try { await post(url, {}); row.remove(); } catch (error) {
    if (!error.message.includes('in use')) { notice(error.message, true); return; }
    const dialog = document.getElementById('pot-replace');
    dialog.querySelector('p').textContent = error.message;
    dialog.querySelector('select').replaceChildren(...[...table.querySelectorAll('tr[data-pot]')].filter((r) => r !== row).map((r) => Object.assign(document.createElement('option'), { value: r.dataset.pot, textContent: r.querySelector('.pot-name').textContent })));
    dialog.querySelector('[data-do="no"]').onclick = () => dialog.close();
    dialog.querySelector('[data-do="ok"]').onclick = async () => {
      dialog.close();
      try {
        const found = await post(url, { instead: Number(dialog.querySelector('select').value) });
        row.remove();
        notice(`${found.patches} patch${found.patches === 1 ? '' : 'es'} repainted; the pot is gone`);
      } catch (problem) { notice(problem.message, true); }
    };
    dialog.showModal();
  }
}

if (table) {
  table.addEventListener('click', (event) => {
    if (event.target.matches('.pot-name')) rename(event.target);
    if (event.target.matches('.pot-delete')) remove(event.target.closest('tr'));
  });
  table.addEventListener('keydown', (event) => { if (event.key === 'Enter' && event.target.matches('.pot-name')) { event.preventDefault(); rename(event.target); } });
  let dragged = null;
  table.addEventListener('dragstart', (event) => { dragged = event.target.closest('tr[data-pot]'); });
  table.addEventListener('dragover', (event) => {
    const over = event.target.closest('tr[data-pot]');
    if (!dragged || !over || over === dragged) return;
    event.preventDefault();
    const box = over.getBoundingClientRect();
    over[event.clientY < box.top + box.height / 2 ? 'before' : 'after'](dragged);
  });
  table.addEventListener('dragend', async () => {
    if (!dragged) return;
    dragged = null;
    const pots = [...table.querySelectorAll('tr[data-pot]')].map((row) => Number(row.dataset.pot));
    try { await post(`/api/models/${table.dataset.model}/pots/order`, { pots }); } catch (error) { notice(error.message, true); }
  });
}
