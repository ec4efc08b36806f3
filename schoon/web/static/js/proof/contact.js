// Every drawing of the level side by side: whole, or the same area of each.

import { fill, html } from '../dom.js';

const WIDE = 190;

export class Contact {
  constructor(app, stage) { Object.assign(this, { app, stage, box: null }); this.body = stage.body; }

  show(acts) {
    const { app } = this;
    fill(acts, html`<button id="contact-area"
      aria-pressed="${Boolean(this.box)}">One area of all …</button>${this.box ? html`<button id="contact-whole">Whole drawings</button>` : ''}`);
    acts.querySelector('#contact-area').addEventListener('click', () => app.table.pickBox((box) => { this.box = box; this.stage.ledge(); }));
    acts.querySelector('#contact-whole')?.addEventListener('click', () => { this.box = null; this.stage.ledge(); });
    const found = new Map();
    for (const finding of this.stage.cards.list) for (const id of finding.drawings) found.set(id, (found.get(id) ?? 0) + 1);
    const { width, height } = app.data.shot;
    const [x0, y0, x1, y1] = this.box ?? [0, 0, width, height];
    const scale = WIDE / Math.max(1, x1 - x0);
    const lies = `background-size:${width * scale}px ${height * scale}px;background-position:${-x0 * scale}px ${-y0 * scale}px`;
    const size = `width:${WIDE}px;height:${Math.min(150, (y1 - y0) * scale)}px`;
    const style = (entry) => `${size};background-image:url('${app.colours.viewUrl(entry, this.box ? 960 : 380, 'paint')}');${lies}`;
    fill(this.body, html`<div class="contact">${app.data.run.map((entry) => html`<button data-id="${entry.id}"
      ${entry.id === app.current.id ? 'aria-current="true"' : ''} aria-label="Drawing ${entry.number}"><i style="${style(entry)}"></i><span><b
        class="number">${entry.number}</b>${found.get(entry.id) ? html` <em class="ask">${found.get(entry.id)} found</em>` : ''}</span></button>`)}</div>`);
    for (const button of this.body.querySelectorAll('[data-id]')) button.addEventListener('click', () => app.go(Number(button.dataset.id), true));
  }
}
