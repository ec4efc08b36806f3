// The time of the shot under the picture: where something was found, and the frame that is looked at.

import { fill, html } from '../dom.js';

export class Axis {
  constructor(app, cards) {
    Object.assign(this, { app, cards });
    this.node = document.getElementById('proof-axis');
    this.node.addEventListener('click', (event) => {
      const box = this.node.getBoundingClientRect();
      const { frames } = app.data.shot;
      app.seek(Math.min(frames, Math.max(1, 1 + Math.floor((frames * (event.clientX - box.left)) / box.width))));
    });
    app.on('frame', () => this.show());
    app.on('run', () => this.show());
  }

  show() {
    const { frames } = this.app.data.shot;
    const heavy = new Map();
    for (const finding of this.cards.list) {
      for (const [first, count, id] of this.app.data.spans) {
        if (finding.drawings.includes(id)) for (let f = first; f < first + count; f += 1) heavy.set(f, (heavy.get(f) ?? 0) + 1);
      }
    }
    const place = (f) => `left:${(100 * (f - 1)) / frames}%;width:${100 / frames}%`;
    fill(this.node, html`${[...heavy].map(([f, n]) => html`<i style="${place(f)};height:${Math.min(16, 3 + 3 * n)}px"
      title="frame ${f}: ${n} found"></i>`)}<b style="${place(this.app.frame)}"></b>`);
    this.node.setAttribute('aria-label', `${heavy.size} of ${frames} frames show something that was found`);
  }
}
