// The model dock: pots with their counts, the colour key, the sheet pictures.

import { fill, html } from './dom.js';
import { change, notice, post } from './api.js';

const $ = (id) => document.getElementById(id);

export function showPots(app, stage) {
  const { data } = app;
  const list = $('pots');
  if (!list) return;
  const counts = stage.counts?.() || new Map();
  const remarks = new Map((stage.remarks?.() || []).map((r) => [r.pot, r]));
  if (list.querySelectorAll('[data-pot]').length !== data.pots.length) {
    let part = '';
    list.replaceChildren(...data.pots.flatMap((pot) => {
      const item = document.createElement('li');
      item.dataset.pot = pot.id;
      item.setAttribute('role', 'option');
      item.tabIndex = 0;
      fill(item, html`<span class="swatch" style="background: var(--pot-${pot.id})"></span><span></span><span class="pot-ways"></span><span class="count"></span>`);
      if (stage.potWays) {
        for (const [way, words] of stage.potWays) {
          const button = document.createElement('button');
          button.dataset.way = way;
          button.textContent = words;
          button.setAttribute('aria-label', `${words} ${pot.name}`);
          button.setAttribute('aria-pressed', 'false');
          button.addEventListener('click', (event) => { event.stopPropagation(); stage.potWay(way, pot.id); });
          item.querySelector('.pot-ways').append(button);
        }
      }
      item.children[1].textContent = pot.name;
      const pick = () => { if (stage.selectPot) { stage.selectPot(pot.id); app.useTool('pour'); } };
      item.addEventListener('click', pick);
      item.addEventListener('keydown', (event) => { if (event.key === 'Enter') { event.stopPropagation(); pick(); } });
      if (pot.part === part) return [item];
      part = pot.part;
      const head = Object.assign(document.createElement('li'), { className: 'part', textContent: part || 'Without a part' });
      head.setAttribute('role', 'presentation');
      return [head, item];
    }));
  }
  for (const item of list.querySelectorAll('[data-pot]')) {
    const n = counts.get(Number(item.dataset.pot)) || 0;
    const remark = remarks.get(Number(item.dataset.pot));
    const count = item.querySelector('.count');
    count.textContent = stage.counts ? said(remark, n) : '';
    count.classList.toggle('off', Boolean(remark));
  }
  const words = $('dock-words');
  if (!stage.counts) { const r = data.rule; words.textContent = `Line rule: outline ${r.outline}, inner ${r.inner}, detail ${r.detail} px${r.taper ? `, ends taper over ${r.taper} px` : ''}.`; }
  else {
    words.textContent = app.current.painted ? inWords(data, [...remarks.values()], counts) : 'Nothing is painted in this drawing yet.';
    if (app.current.painted && stage.expect) {
      const button = Object.assign(document.createElement('button'), { id: 'expect', textContent: 'Count as the model', title: 'The model takes the counts and shares of its pots from this drawing' });
      button.addEventListener('click', () => stage.expect());
      words.append(' ', button);
    }
  }
}

// What stands beside a pot: its patches here, and what the model says if it says otherwise.
function said(remark, count) {
  if (!remark) return count || '–';
  if (remark.what === 'large' || remark.what === 'small') return `${count} · ${remark.what}`;
  return `${count} of ${remark.expected}`;
}

function inWords(data, remarks, counts) {
  const name = (id) => data.pots.find((p) => p.id === id)?.name.toLowerCase() ?? 'a pot';
  const list = (what) => remarks.filter((r) => r.what === what).map((r) => name(r.pot));
  if (!data.pots.some((p) => p.expected !== null)) {
    const missing = data.pots.filter((p) => !counts.get(p.id)).map((p) => p.name.toLowerCase());
    return missing.length ? `Not in this drawing: ${missing.join(', ')}.` : 'Every pot is in this drawing.';
  }
  const parts = [['missing', 'Missing'], ['fewer', 'Fewer than the model'], ['more', 'More than the model'], ['large', 'Larger share'], ['small', 'Smaller share']]
    .map(([what, words]) => [words, list(what)]).filter(([, found]) => found.length).map(([words, found]) => `${words}: ${found.join(', ')}.`);
  return parts.join(' ') || 'As the model says.';
}

// With the sampler in the hand a click on the sheet picture chooses the pot that looks like it there.
async function sampleSheet(app, image, picture, event) {
  const { naturalWidth, naturalHeight } = image;
  const box = image.getBoundingClientRect();
  const scale = Math.min(box.width / naturalWidth, box.height / naturalHeight);
  const at = [(event.clientX - box.left - (box.width - naturalWidth * scale) / 2) / scale, (event.clientY - box.top - (box.height - naturalHeight * scale) / 2) / scale];
  try {
    const { near } = await post(`/api/models/${app.data.model}/sample`, { picture, at });
    const pot = near && app.data.pots.find((p) => p.name === near.pot);
    if (pot) app.tool().sampled(pot.id); else notice('No pot looks like this place of the sheet');
  } catch (error) { notice(error.message, true); }
}

export function wireDock(app, useKey) {
  $('key')?.addEventListener('change', async (event) => {
    useKey(Number(event.target.value));
    app.showWings();
    app.showLedge();
    try { await change('stacks', app.data.shot.id, 'key', { level: app.data.shot.level_id, key: app.data.key }); } catch (error) { notice(error.message, true); }
  });

  $('dock-picture')?.addEventListener('click', (event) => {
    const box = event.currentTarget;
    const pictures = JSON.parse(box.dataset.pictures);
    if (app.tool()?.sampled && event.detail) { sampleSheet(app, box.querySelector('img'), pictures[Number(box.dataset.at || 0)].sha256, event); return; }
    const next = (Number(box.dataset.at || 0) + 1) % pictures.length;
    box.dataset.at = next;
    box.querySelector('img').src = `/pictures/${pictures[next].sha256}`;
    $('dock-count').textContent = `${pictures[next].caption}, ${next + 1} of ${pictures.length}`;
  });
}
