// Rough: look at the motion before anything is drawn.

import { fill, html } from '../dom.js';
import { Stage } from './stage.js';
import { strip } from './strip.js';

export class RoughStage extends Stage {
  constructor(app, name) {
    super(app, name);
    this.look = 'rough';
    this.onion = false;
    this.plays = 'rough';
    this.coloured = false;
    this.keys = 'hold 1 2 3 to flip · A D step · Space plays · double-click a number to mark a key';
  }

  rough() { return 'full'; }

  ink() { return []; }

  ledge() {
    const { run, shot } = this.app.data;
    fill(document.getElementById('ledge-head'), html`<h2>Run</h2><span class="quiet">${run.length} drawing${run.length === 1 ? '' : 's'}, ${shot.frames} frames</span>`);
    strip(this.app, 'rough');
  }
}
