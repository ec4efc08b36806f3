// Rough: look at the motion before anything is drawn.

import { fill, html } from '../dom.js';
import { strip } from './strip.js';

export function roughStage(app) {
  return {
    look: 'rough',
    tools: [],
    pen: 'Look',
    keys: 'hold 1 2 3 to flip · A D step · Space plays · double-click a number to mark a key',
    ledge() {
      fill(document.getElementById('ledge-head'), html`<h2>Run</h2><span class="quiet">${app.data.run.length} drawings, ${app.data.shot.frames} frames</span>`);
      strip(app, 'rough');
    },
  };
}
