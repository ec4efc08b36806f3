// Which drawings an act on many would change, said before it is done: those a hand has finished are left, unless they are
// taken in here.

import { notice, post } from '../api.js';
import { settled } from '../edits/queue.js';
import { fill, html } from '../dom.js';

const WIDE = 132;
const many = (n) => `${n} drawing${n === 1 ? '' : 's'}`;

export class Touches {
  constructor(app) {
    this.app = app;
    this.box = document.getElementById('touches');
  }

  // about: { act, drawings, part }, words: what is done. chosen: those a person has named already.
  // Resolves to { drawings, also }, or to null if it is not to be done.
  async ask(about, words, chosen = []) {
    const { app } = this;
    let found;
    try {
      await settled(app.level);
      found = await post(`/api/levels/${app.level}/touches`, about);
    } catch (error) { notice(error.message, true); return null; }
    const leaves = Object.entries(found.leaves).map(([id, why]) => [Number(id), why]).filter(([id]) => !chosen.includes(id));
    const also = Object.keys(found.leaves).map(Number).filter((id) => chosen.includes(id));
    const changes = [...found.changes, ...also];
    if (!leaves.length) return { drawings: changes, also };
    return this.show(words, changes, leaves, also);
  }

  show(words, changes, leaves, also) {
    const { app, box } = this;
    const picture = (id) => app.colours.viewUrl(app.byId.get(id), 240, app.byId.get(id).strokes ? app.stage.look : 'rough');
    const item = (id, why, on) => html`<label class="touched"><img src="${picture(id)}" width="${WIDE}" alt=""><span><input type="checkbox" value="${id}"
      ${on ? 'checked' : ''} autocomplete="off"> <b class="number">${app.byId.get(id).number}</b> <span class="quiet">${why}</span></span></label>`;
    fill(box, html`<h2 id="touches-words">${words}</h2>
      <p>${changes.length ? html`<b>${many(changes.length)}</b> would change; ` : ''}<b>${many(leaves.length)}</b> ${leaves.length === 1 ? 'is'
        : 'are'} left, because a hand has finished ${leaves.length === 1 ? 'it' : 'them'}. Tick what shall change all the same.</p>
      <div class="touched-list" role="group" aria-label="Left as they are">${leaves.map(([id, why]) => item(id, why, false))}</div>
      ${changes.length ? html`<h3>Changes</h3><div class="touched-list" role="group"
        aria-label="Changes">${changes.map((id) => item(id, app.byId.get(id).strokes ? 'as proposed' : 'empty', true))}</div>` : ''}
      <div class="touches-acts"><button id="touches-do" class="main"></button><button id="touches-all">Tick all</button><button
        id="touches-off">Leave it</button></div>`);
    const ticked = () => [...box.querySelectorAll('input:checked')].map((node) => Number(node.value));
    const main = box.querySelector('#touches-do');
    const say = () => { const n = ticked().length; main.textContent = `Do it in ${many(n)}`; main.disabled = !n; };
    say();
    box.onchange = say;
    return new Promise((go) => {
      const done = (answer) => { box.close(); document.getElementById('paper').focus(); go(answer); };
      main.addEventListener('click', () => { const drawings = ticked();
        done({ drawings, also: [...also, ...leaves.map(([id]) => id).filter((id) => drawings.includes(id))] }); });
      box.querySelector('#touches-all').addEventListener('click', () => { for (const node of box.querySelectorAll('input')) node.checked = true; say(); });
      box.querySelector('#touches-off').addEventListener('click', () => done(null));
      box.addEventListener('cancel', () => go(null), { once: true });
      box.showModal();
      (main.disabled ? box.querySelector('input') : main).focus();
    });
  }
}
