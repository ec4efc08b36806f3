// The wings: the drawings before and after the one on the table.

import { fill, html } from '../dom.js';

const SIDES = { 'wing-before': [-1, 'previous'], 'wing-after': [1, 'next'] };
const WIDTH = 380;

export class Wings {
  constructor(app) {
    this.app = app;
    for (const what of ['run', 'colours']) app.on(what, () => this.show());
  }

  show() {
    const { app } = this;
    for (const [id, [by, words]] of Object.entries(SIDES)) {
      const entry = app.neighbour(by);
      const box = document.getElementById(id);
      box.hidden = !entry;
      if (!entry) continue;
      const url = app.colours.viewUrl(entry, WIDTH, app.stage.look);
      if (box.dataset.url !== url) {
        box.dataset.url = url;
        fill(box, html`<span>${entry.number}</span><img fetchpriority="high" src="${url}" alt="Drawing ${entry.number}">`);
      }
      box.setAttribute('aria-label', `${entry.number}, the ${words} drawing`);
      box.onclick = () => app.go(entry.id);
    }
  }
}
