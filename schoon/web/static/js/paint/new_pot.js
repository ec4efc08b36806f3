// A new pot while painting, without a model even: a colour that is picked or sampled anywhere, poured at once, named later.

import { notice, post } from '../api.js';
import { change } from '../edits/queue.js';
import { fill, html } from '../dom.js';
import { writeName } from '../naming.js';

const $ = (id) => document.getElementById(id);

export class NewPot {
  constructor(app, stage) {
    Object.assign(this, { app, stage });
    this.box = $('new-pot');
    if (!this.box) return;
    fill(this.box, html`<summary>New pot</summary><form autocomplete="off"><input name="colour" type="color" value="#c98b3b" aria-label="Colour of the new pot">
      ${globalThis.EyeDropper ? html`<button type="button" id="pot-pick"
        title="From anything that is seen: the rough, a reference, the sheet">Pick</button>` : ''}
      <input name="name" maxlength="60" placeholder="name it later" aria-label="Name of the new pot"><button
        title="It is poured by the next click">Add and pour</button></form>`);
    this.box.querySelector('form').addEventListener('submit', (event) => { event.preventDefault(); this.add(event.target.elements); });
    $('pot-pick')?.addEventListener('click', () => this.pick());
    $('pots')?.addEventListener('dblclick', (event) => this.rename(event.target.closest('[data-pot]')));
    const made = Number(sessionStorage.newPot);
    delete sessionStorage.newPot;
    if (made) { stage.pot = made; this.box.open = true; }
  }

  async pick() {
    try {
      const { sRGBHex } = await new globalThis.EyeDropper().open();
      this.box.querySelector('[name="colour"]').value = sRGBHex;
    } catch (error) { if (error.name !== 'AbortError') notice('The colour could not be picked; choose it in the field', true); }
  }

  async add({ colour, name }) {
    const { app, stage } = this;
    const { data } = app;
    try {
      const { pot, model } = await post(`/api/levels/${app.level}/pots`, { name: name.value, colour: colour.value });
      // A model that was made for it brings a dock of its own.
      if (model !== data.model) { sessionStorage.newPot = pot.id; window.location.reload(); return; }
      data.pots.push(pot);
      for (const key of data.keys) key.colours[pot.id] = colour.value;
      app.colours.use(data.key);
      app.table.draw();
      stage.selectPot(pot.id, true);
      name.value = '';
      notice(`${pot.name} is in the hand`);
    } catch (error) { notice(error.message, true); }
  }

  rename(item) {
    const { data } = this.app;
    const pot = item && data.pots.find((p) => p.id === Number(item.dataset.pot));
    if (!pot) return;
    const words = item.querySelector('span:nth-child(2)');
    writeName(words, {
      now: pot.name,
      label: `New name of ${pot.name}`,
      save: async (name) => { await change('models', data.model, 'rename-pot', { pot: pot.id, name }); pot.name = name; },
      after: (field) => { words.textContent = pot.name; field.replaceWith(words); },
    });
  }
}
