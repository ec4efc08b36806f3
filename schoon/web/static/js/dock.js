// The model dock: pots with their counts, the colour key, the sheet pictures.

import { notice, post } from './api.js';

const $ = (id) => document.getElementById(id);

export function showPots(app, stage) {
  const { data } = app;
  const list = $('pots');
  if (!list) return;
  const counts = stage.counts?.() || new Map();
  if (list.children.length !== data.pots.length) {
    list.replaceChildren(...data.pots.map((pot) => {
      const item = document.createElement('li');
      item.dataset.pot = pot.id;
      item.setAttribute('role', 'option');
      item.tabIndex = 0;
      item.innerHTML = `<span class="swatch" style="background: var(--pot-${pot.id})"></span><span></span><span class="pot-ways"></span><span class="count"></span>`;
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
      return item;
    }));
  }
  for (const item of list.children) {
    const n = counts.get(Number(item.dataset.pot)) || 0;
    item.querySelector('.count').textContent = stage.counts ? (n || '–') : '';
  }
  const words = $('dock-words');
  if (!stage.counts) { const r = data.rule; words.textContent = `Line rule: outline ${r.outline}, inner ${r.inner}, detail ${r.detail} px${r.taper ? `, ends taper over ${r.taper} px` : ''}.`; }
  else {
    const missing = data.pots.filter((p) => !counts.get(p.id)).map((p) => p.name.toLowerCase());
    words.textContent = !app.current.painted ? 'Nothing is painted in this drawing yet.' : missing.length ? `Not in this drawing: ${missing.join(', ')}.` : 'Every pot is in this drawing.';
  }
}

export function wireDock(app, useKey) {
  $('key')?.addEventListener('change', async (event) => {
    useKey(Number(event.target.value));
    app.showWings();
    app.showLedge();
    try { await post(`/api/shots/${app.data.shot.id}/key`, { key: app.data.key }); } catch (error) { notice(error.message, true); }
  });

  $('dock-picture')?.addEventListener('click', (event) => {
    const box = event.currentTarget;
    const pictures = JSON.parse(box.dataset.pictures);
    const next = (Number(box.dataset.at || 0) + 1) % pictures.length;
    box.dataset.at = next;
    box.querySelector('img').src = `/pictures/${pictures[next].sha256}`;
    $('dock-count').textContent = `${pictures[next].caption}, ${next + 1} of ${pictures.length}`;
  });
}
