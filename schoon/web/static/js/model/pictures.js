// Pots from the pictures of the sheet: one colour sampled by a click, or all flat colours proposed.

import { fill, html } from '../dom.js';
import { get, notice, post } from '../api.js';
import { change } from '../edits/queue.js';

const box = document.getElementById('sampled');
let sampled = null;

function near(found) { return found ? `${found.pot} in ${found.key}${found.apart ? `, ${found.apart} apart` : ''}` : ''; }

async function sample(image, event) {
  const at = [(event.offsetX / image.width) * image.naturalWidth, (event.offsetY / image.height) * image.naturalHeight];
  try { sampled = await post(`/api/models/${box.dataset.model}/sample`, { picture: image.dataset.picture, at });
    } catch (error) { notice(error.message, true); return; }
  box.querySelector('.swatch').style.background = sampled.colour;
  box.querySelector('.number').textContent = sampled.colour;
  box.querySelector('.near').textContent = sampled.near ? `like ${near(sampled.near)}` : 'no pot has it yet';
  box.hidden = false;
  box.style.left = `${Math.min(event.pageX + 12, document.body.clientWidth - 330)}px`;
  box.style.top = `${event.pageY + 12}px`;
  box.querySelector('[name="name"]').focus({ preventScroll: true });
}

async function propose(figure) {
  const image = figure.querySelector('img');
  const list = figure.nextElementSibling;
  if (!list.hidden) { list.hidden = true; return; }
  let found;
  try { found = await get(`/api/models/${box.dataset.model}/clusters?picture=${image.dataset.picture}`); } catch (error) { notice(error.message, true);
    return; }
  list.hidden = false;
  fill(list, html`<p class="quiet">${found.colours.length} flat colours${found.smeared
    ? '; the picture is smeared by edges, noise or JPEG, so each is the middle of what is alike'
      : ''}. Name those that are to be pots.</p><ul></ul><button>Add the named pots</button>`);
  list.querySelector('ul').replaceChildren(...found.colours.map((item) => {
    const row = document.createElement('li');
    fill(row, html`<span class="swatch" style="background:${item.colour}"></span><span class="number">${item.colour}</span><span
      class="share">${(100 * item.share).toFixed(1)} %</span>`);
    if (item.near) row.append(Object.assign(document.createElement('span'), { className: 'quiet', textContent: `is ${near(item.near)}` }));
    else row.append(Object.assign(document.createElement('input'), { maxLength: 60, placeholder: 'name', ariaLabel: `Name of the pot ${item.colour}` }));
    row.dataset.colour = item.colour;
    return row;
  }));
  list.querySelector('button').addEventListener('click', async () => {
    const pots = [...list.querySelectorAll('li')].map((row) => ({ name: row.querySelector('input')?.value.trim() || '', colour: row.dataset.colour }))
      .filter((p) => p.name);
    if (!pots.length) { notice('Name at least one colour first', true); return; }
    try { await change('models', box.dataset.model, 'add-pots', { pots }); window.location.reload(); } catch (error) { notice(error.message, true); }
  });
}

if (box) {
  for (const figure of document.querySelectorAll('.sheet-pictures figure')) {
    figure.querySelector('img').addEventListener('click', (event) => sample(event.target, event));
    figure.querySelector('.propose').addEventListener('click', () => propose(figure));
  }
  box.addEventListener('keydown', (event) => { if (event.key === 'Escape') box.hidden = true; });
  box.querySelector('.close').addEventListener('click', () => { box.hidden = true; });
  box.querySelector('form').addEventListener('submit', async (event) => {
    event.preventDefault();
    const { name, pot, key } = event.target.elements;
    try {
      if (event.submitter.value === 'give') await change('models', box.dataset.model, 'colour',
        { key: Number(key.value), pot: Number(pot.value), colour: sampled.colour });
      else if (!name.value.trim()) { notice('Give the new pot a name first', true); return; } else await change('models', box.dataset.model, 'add-pots',
        { pots: [{ name: name.value.trim(), colour: sampled.colour }] });
      window.location.reload();
    } catch (error) { notice(error.message, true); }
  });
}
