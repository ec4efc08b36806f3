// The run of painted drawings.

import { fill, html } from '../dom.js';
import { shown } from '../keys.js';
import { strip } from '../stages/strip.js';

export class RunView {
  constructor(app, stage) { Object.assign(this, { app, stage }); }

  show(acts) {
    const { app } = this;
    if (app.data.run.some((d) => d.unsure)) {
      fill(acts, html`<button id="next-unsure">Next unsure <kbd>${shown('n')}</kbd></button>`);
      acts.firstChild.addEventListener('click', () => app.nextUnsure());
    }
    strip(app, 'paint', this.stage);
  }
}
