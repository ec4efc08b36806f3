// The parts of the model from front to rear, as they lie in the drawing on the table.

import { fill, html } from '../dom.js';
import { notice } from '../api.js';
import { change } from '../edits/queue.js';

const $ = (id) => document.getElementById(id);

export class Depth {
  constructor(app) {
    this.app = app;
    for (const event of ['drawn', 'run']) app.on(event, () => this.show());
    $('depth-parts')?.addEventListener('keydown', (event) => this.press(event));
  }

  get changes() { return this.app.data.depth.changes; }

  // The drawing whose order holds here; none where the model's does.
  get from() {
    const { data, current } = this.app;
    return data.run.slice(0, data.run.indexOf(current) + 1).reverse().find((d) => this.changes[d.id]);
  }

  // Front to rear; a part the order does not know lies behind those it does.
  get parts() {
    const { model } = this.app.data.depth;
    const front = (this.changes[this.from?.id] || model).filter((part) => model.includes(part));
    return [...front, ...model.filter((part) => !front.includes(part))];
  }

  show() {
    const box = $('depth');
    const { app } = this;
    if (!box || !app.current) return;
    const { parts } = this;
    box.hidden = app.stage.name !== 'paint' || parts.length < 2;
    if (box.hidden) return;
    const held = document.activeElement?.closest?.('#depth-parts li')?.dataset.part;
    fill($('depth-parts'), html`${parts.map((part, k) => html`<li tabindex="0" data-part="${part}" title="Alt and an arrow move it"><span>${part}</span>
      <button data-by="-1" aria-label="${part} one to the front" ${k ? '' : 'disabled'}>↑</button><button data-by="1" aria-label="${part} one to the rear"
        ${k < parts.length - 1 ? '' : 'disabled'}>↓</button></li>`)}`);
    for (const button of $('depth-parts').querySelectorAll('button')) button.addEventListener('click',
      () => this.move(button.closest('li').dataset.part, Number(button.dataset.by)));
    if (held) [...$('depth-parts').children].find((item) => item.dataset.part === held)?.focus();
    const from = this.from;
    fill($('depth-words'), from ? html`As changed at drawing ${from.number}${from === app.current ? html` · <button id="depth-back">put back</button>`
      : ''}` : html`As in the model`);
    $('depth-back')?.addEventListener('click', () => this.keep(null));
  }

  press(event) {
    const item = event.target.closest('li');
    const by = { ArrowUp: -1, ArrowDown: 1 }[event.key];
    if (!item || !by) return;
    event.preventDefault();
    event.stopPropagation();
    if (event.altKey) this.move(item.dataset.part, by);
    else (by < 0 ? item.previousElementSibling : item.nextElementSibling)?.focus();
  }

  move(part, by) {
    const { parts } = this;
    const k = parts.indexOf(part);
    if (k + by < 0 || k + by >= parts.length) return;
    [parts[k], parts[k + by]] = [parts[k + by], parts[k]];
    this.keep(parts);
  }

  async keep(parts) {
    const { app } = this;
    const { data, current } = app;
    try {
      if (parts && $('depth-holds').value === 'model') {
        if (this.from) { notice(`Drawing ${this.from.number} has an order of its own; put that back first, or change it from this drawing on`, true); return; }
        await change('models', data.model, 'depth', { parts });
        data.depth.model = parts;
      } else {
        await change('stacks', data.shot.id, 'depth', { level: app.level, drawing: current.id, parts });
        if (parts) this.changes[current.id] = parts; else delete this.changes[current.id];
      }
    } catch (error) { notice(error.message, true); }
    this.show();
  }
}
