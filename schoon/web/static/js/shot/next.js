// The main button at the foot: the next thing to do at the stop that is lit, or the way to the next one.

import { nextOf } from '../pure/next.js';

const $ = (id) => document.getElementById(id);

export class Next {
  constructor(app) {
    this.app = app;
    this.button = $('next-step');
    for (const what of ['run', 'stop', 'cards', 'drawn']) app.on(what, () => this.show());
    this.button.addEventListener('click', () => this.go());
    // A stop without drawings has no next thing.
    this.show();
  }

  get found() {
    const { app } = this;
    return nextOf(app.stage.name, app.data.run,
      { questions: app.stage.questions ?? null, findings: app.stage.findings ?? null, pots: app.data.pots.length, speaks: app.data.speaks,
        begun: app.stage.begun ?? 0 });
  }

  show() {
    const { found } = this;
    this.button.hidden = !found;
    if (!found) return;
    this.button.textContent = found.words;
    this.button.classList.toggle('way', Boolean(found.stop));
  }

  async go() {
    const { app, found } = this;
    if (!found) return;
    if (found.stop) { await app.stops.light(found.stop); return; }
    app.stage.next(found.act);
  }
}
