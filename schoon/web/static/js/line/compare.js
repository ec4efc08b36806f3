// A part of all drawings side by side, registered and at one scale, with its measures; odd ones first.

import { fill, html } from '../dom.js';
import { change, get, notice } from '../api.js';

const WORDS = { weight: 'weight', length: 'length', area: 'area', count: 'lines' };

let last = null;
let wanted = '';
let part = '';
let box = null;

export async function compare(app, ledge) {
  const { body, acts } = ledge;
  const names = app.parts.names();
  if (!box && !names.includes(part)) part = names[0] || '';
  fill(acts, html`<label>part <select id="compare-part"></select></label><button id="compare-box">Draw a rectangle</button><label><input type="checkbox" id="compare-odd" checked> odd ones first</label>`);
  const select = acts.querySelector('#compare-part');
  select.replaceChildren(...names.map((n) => Object.assign(document.createElement('option'), { value: n, textContent: n })));
  if (box) select.prepend(Object.assign(document.createElement('option'), { value: '', textContent: 'the rectangle' }));
  select.value = box ? '' : part;
  select.addEventListener('change', () => { if (select.value) { part = select.value; box = null; compare(app, ledge); } });
  acts.querySelector('#compare-box').addEventListener('click', () => app.pickBox((found) => { box = found; compare(app, ledge); }));
  acts.querySelector('#compare-odd').addEventListener('change', () => show(app, ledge));
  if (!part && !box) {
    fill(body, html`<p class="empty">Parts come from naming lines: choose some with C and write the part below the paper. Or draw a rectangle to compare what lies in it.</p>`);
    return;
  }
  const reference = app.onion.pinned || app.data.run.find((d) => d.strokes) || app.current;
  const query = box ? box.map((v) => `box=${v.toFixed(1)}`).join('&') : `part=${encodeURIComponent(part)}`;
  const asked = `${query} ${reference.id} ${app.data.run.map((d) => d.revision).join()}`;
  if (last?.asked !== asked) {
    if (wanted === asked) return;
    wanted = asked;
    if (!last) fill(body, html`<p class="empty">Registering …</p>`);
    try {
      const found = await get(`/api/levels/${app.data.shot.level_id}/ledge?reference=${reference.id}&${query}`);
      // Another part may have been asked for meanwhile.
      if (wanted !== asked) return;
      last = { ...found, asked, reference };
    } catch (error) {
      if (wanted !== asked) return;
      last = null;
      wanted = '';
      fill(body, html`<p class="empty"></p>`);
      body.firstChild.textContent = error.message;
      return;
    }
    wanted = '';
    if (ledge.view !== 'compare') return;
  }
  show(app, ledge);
}

function show(app, ledge) {
  const { body } = ledge;
  const [x0, y0, x1, y1] = last.box;
  const cells = [...last.cells];
  if (document.getElementById('compare-odd')?.checked) cells.sort((a, b) => b.odd - a.odd || a.number - b.number);
  const model = last.model;
  const first = last.cells.find((c) => c.id === last.reference.id);
  body.replaceChildren(summary(app, ledge, model, first), ...cells.map((cell) => {
    const card = document.createElement('button');
    card.className = 'part-card';
    card.dataset.id = cell.id;
    card.toggleAttribute('aria-current', cell.id === app.current.id);
    const m = cell.measures;
    const lines = m ? Object.entries(WORDS).map(([name, words]) => html`<tr class="${far(m[name], (model || first?.measures || {})[name]) ? 'ask' : ''}"><td>${words}</td><td>${m[name]}</td><td class="quiet">${model ? model[name] : ''}</td></tr>`) : html`<tr class="ask"><td>missing</td></tr>`;
    fill(card, html`<svg viewBox="${x0} ${y0} ${x1 - x0} ${y1 - y0}"><g ${cell.matrix ? html`transform="matrix(${cell.matrix.join(' ')})"` : ''}>${cell.paths.map(([d, w, doubt]) => html`<path d="${d}" stroke-width="${w}" class="${doubt ? 'doubt' : ''}"/>`)}</g></svg>
      <div><b class="number">${cell.number}</b>${cell.odd > 3 ? html`<b class="ask">odd</b>` : ''}<table>${lines}</table></div>`);
    card.addEventListener('click', async () => { await app.go(cell.id, true); if (cell.at) app.lookAt(cell.at[0], cell.at[1], Math.max(app.view.zoom, 1)); });
    return card;
  }));
}

const far = (value, says) => says && Math.abs(value - says) > 0.12 * says + 0.01;

// Drift from the first drawing and tremble against the neighbours, as two small curves.
function summary(app, ledge, model, first) {
  const box = document.createElement('div');
  box.className = 'creep';
  const curve = (name) => {
    const values = last.cells.map((c) => c[name]);
    const top = Math.max(4, ...values.filter((v) => v !== null));
    const points = values.map((v, k) => (v === null ? null : [6 + (k * 148) / Math.max(1, values.length - 1), 34 - (v / top) * 28]));
    return html`<figure><figcaption title="${name === 'drift' ? `how far it has crept from drawing ${last.reference.number}` : 'how much it shakes against its neighbours'}">${name} <i class="quiet">up to ${Math.max(0, ...values.filter((v) => v !== null))} px</i></figcaption>
      <svg viewBox="0 0 160 40"><path d="${points.filter(Boolean).map((p, k) => `${k ? 'L' : 'M'}${p.join(' ')}`)}"/>${points.map((p, k) => (p ? html`<circle cx="${p[0]}" cy="${p[1]}" r="3.2" data-id="${last.cells[k].id}"><title>drawing ${last.cells[k].number}: ${values[k]} px</title></circle>` : ''))}</svg></figure>`;
  };
  fill(box, html`${curve('drift')}${curve('tremble')}`);
  for (const dot of box.querySelectorAll('circle')) dot.addEventListener('click', () => app.go(Number(dot.dataset.id), true));
  if (app.data.model && part && !last.asked.startsWith('box')) {
    const button = document.createElement('button');
    button.textContent = model ? `Take drawing ${app.current.number} as the model’s measure` : `Hold all against drawing ${app.current.number}`;
    button.addEventListener('click', async () => {
      const here = last.cells.find((c) => c.id === app.current.id)?.measures || first?.measures;
      if (!here) { notice('This drawing has nothing of the part to measure by'); return; }
      try {
        await change('models', app.data.model, 'measure', { part, ...here });
        last = null;
        compare(app, ledge);
      } catch (error) { notice(error.message, true); }
    });
    box.append(button);
  }
  return box;
}

