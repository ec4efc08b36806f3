// The table of pots: colours and tones in each key, parts, what a whole figure has of each.

import { notice } from '../api.js';
import { change } from '../edits/queue.js';
import { writeName } from '../naming.js';

// A colour changed here changes on every drawing that carries the pot.
function wireWell(well) {
  let before = well.value;
  const tone = well.dataset.tone || 'colour';
  const show = (colour) => {
    if (tone === 'colour') well.nextElementSibling.textContent = colour;
    else well.closest('.tone').classList.toggle('none', !colour);
  };
  const send = async (colour) => {
    try {
      await change('models', table.dataset.model, 'colour', { key: Number(well.dataset.key), pot: Number(well.dataset.pot), colour, tone });
      if (colour) before = colour;
      show(colour);
    } catch (error) {
      well.value = before;
      notice(error.message, true);
    }
  };
  well.addEventListener('change', () => send(well.value));
  if (tone !== 'colour') well.addEventListener('keydown', (event) => { if (event.key === 'Delete') { event.preventDefault(); send(null); } });
}

for (const well of document.querySelectorAll('.well input, .tone input')) wireWell(well);

const table = document.getElementById('pots-table');

const about = (row, said) => change('models', table.dataset.model, 'describe-pot', { pot: Number(row.dataset.pot), ...said });

// Heads of parts that nothing belongs to any more go.
function tidyParts() {
  for (const head of table.querySelectorAll('tr[data-part]')) {
    if (head.dataset.part && !head.nextElementSibling?.dataset.pot) head.remove();
  }
}

async function saySomething(input) {
  const row = input.closest('tr');
  const text = input.value.trim();
  const value = text === '' ? null : Number(text);
  const said = { opacity: { opacity: value }, expected: { expected: value }, share: { share: value === null ? null : value / 100 } }[input.name];
  try { await about(row, said); input.dataset.was = input.value; } catch (error) {
    input.value = input.dataset.was || '';
    notice(error.message, true);
  }
}

function fold(head, button) {
  const folded = head.classList.toggle('folded');
  button.setAttribute('aria-expanded', String(!folded));
  for (let row = head.nextElementSibling; row?.dataset.pot; row = row.nextElementSibling) row.hidden = folded;
}

function moveToPart(row) {
  const dialog = document.getElementById('pot-part');
  const input = dialog.querySelector('input');
  dialog.querySelector('b').textContent = row.querySelector('.pot-name').textContent;
  input.value = row.dataset.of;
  dialog.onclose = async () => {
    if (dialog.returnValue !== 'ok' || input.value.trim() === row.dataset.of) return;
    try { await about(row, { part: input.value }); window.location.reload(); } catch (error) { notice(error.message, true); }
  };
  dialog.returnValue = '';
  dialog.showModal();
}

function rename(span) {
  const id = span.closest('tr').dataset.pot;
  writeName(span, {
    now: span.textContent,
    label: `New name of ${span.textContent}`,
    save: async (name) => { await change('models', table.dataset.model, 'rename-pot', { pot: Number(id), name });
      span.textContent = name.trim().replace(/\s+/g, ' '); },
    after: (input) => { input.replaceWith(span); span.focus(); },
  });
}

async function remove(row) {
  const takeOut = (fields) => change('models', table.dataset.model, 'delete-pot', { pot: Number(row.dataset.pot), ...fields });
  try { await takeOut({}); row.remove(); } catch (error) {
    if (!error.message.includes('in use')) { notice(error.message, true); return; }
    const dialog = document.getElementById('pot-replace');
    dialog.querySelector('p').textContent = error.message;
    dialog.querySelector('select').replaceChildren(...[...table.querySelectorAll('tr[data-pot]')].filter((r) => r !== row)
      .map((r) => Object.assign(document.createElement('option'), { value: r.dataset.pot, textContent: r.querySelector('.pot-name').textContent })));
    dialog.querySelector('[data-do="no"]').onclick = () => dialog.close();
    dialog.querySelector('[data-do="ok"]').onclick = async () => {
      dialog.close();
      try {
        const other = dialog.querySelector('select');
        await takeOut({ instead: Number(other.value) });
        row.remove();
        notice(`${other.selectedOptions[0].textContent} took its place; the pot is gone. Undo brings both back`);
      } catch (problem) { notice(problem.message, true); }
    };
    dialog.showModal();
  }
}

if (table) {
  table.addEventListener('click', (event) => {
    if (event.target.matches('.pot-name')) rename(event.target);
    if (event.target.matches('.fold')) fold(event.target.closest('tr'), event.target);
    if (event.target.matches('.pot-part')) moveToPart(event.target.closest('tr'));
    if (event.target.matches('.pot-delete')) remove(event.target.closest('tr'));
  });
  table.addEventListener('change', (event) => { if (event.target.matches('.about')) saySomething(event.target); });
  table.addEventListener('keydown', (event) => { if (event.key === 'Enter' && event.target.matches('.pot-name')) { event.preventDefault();
    rename(event.target); } });
  let dragged = null;
  table.addEventListener('dragstart', (event) => { dragged = event.target.closest('tr[data-pot]'); });
  table.addEventListener('dragover', (event) => {
    const over = event.target.closest('tbody tr');
    if (!dragged || !over || over === dragged) return;
    event.preventDefault();
    const box = over.getBoundingClientRect();
    over[event.clientY < box.top + box.height / 2 ? 'before' : 'after'](dragged);
  });
  table.addEventListener('dragend', async () => {
    if (!dragged) return;
    const moved = dragged;
    dragged = null;
    const rows = [...table.querySelectorAll('tr[data-pot]')];
    const before = Number(rows[rows.indexOf(moved) + 1]?.dataset.pot) || null;
    try {
      await change('models', table.dataset.model, 'move-pot', { pot: Number(moved.dataset.pot), before });
      // A pot belongs to the part it was dropped under.
      let part = '';
      for (const row of table.querySelectorAll('tbody tr')) {
        if (row.dataset.part !== undefined) part = row.dataset.part;
        else if (row === moved && row.dataset.of !== part) { await about(row, { part }); row.dataset.of = part; }
      }
      tidyParts();
    } catch (error) { notice(error.message, true); }
  });
}
