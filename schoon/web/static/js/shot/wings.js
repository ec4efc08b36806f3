// The wings: the drawings before and after the one on the table.

import { fill, html } from '../dom.js';

const SIDES = { 'wing-before': [-1, 'previous'], 'wing-after': [1, 'next'] };
const WIDTH = 380;

// The picture that is there stays until the new one has come.
function swap(box, entry, url) {
  const image = Object.assign(new Image(), { src: url, alt: `Drawing ${entry.number}`, fetchPriority: 'high' });
  const show = () => { if (box.dataset.url === url) box.querySelector('img').replaceWith(image); };
  image.decode().then(show, show);
}

export class Wings {
  constructor(app) {
    this.app = app;
    for (const what of ['run', 'colours']) app.on(what, () => this.show());
  }

  put(box, entry, url) {
    const same = box.dataset.drawing === String(entry.id) && box.querySelector('img');
    box.dataset.drawing = entry.id;
    if (same) { swap(box, entry, url); return; }
    fill(box, html`<span>${entry.number}</span><img fetchpriority="high" src="${url}" alt="Drawing ${entry.number}">`);
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
        this.put(box, entry, url);
      }
      box.setAttribute('aria-label', `${entry.number}, the ${words} drawing`);
      box.onclick = () => app.go(entry.id);
    }
  }
}
