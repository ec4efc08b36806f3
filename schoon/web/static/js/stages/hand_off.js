// Hand off: look at the size, then save.

import { fill, html } from '../dom.js';
import { get, notice } from '../api.js';
import { Stage } from './stage.js';

const LEAST = 16;
const MOST = { png: 8192, gif: 1920 };
const PAUSE = 500;
const size = (bytes) => (bytes > 1e6 ? `${(bytes / 1e6).toFixed(1)} MB` : `${Math.max(1, Math.round(bytes / 1e3))} kB`);

export class HandOffStage extends Stage {
  constructor(app, name) {
    super(app, name);
    this.look = 'paint';
    this.patches = 'pots';
    this.tones = 'pots';
    this.keys = 'Space plays · hold 1 2 3 to flip · A D step';
    this.body = document.getElementById('ledge-body');
  }

  // The table shows what is handed off.
  get composed() { return Boolean(this.app.levels.mine?.finish.length); }

  ledge() {
    const { shot, run } = this.app.data;
    const bare = run.filter((d) => !d.painted).length;
    const words = bare ? `${bare} of ${run.length} drawings have no paint` : `${run.length} drawings, ${shot.frames} frames, ready`;
    fill(document.getElementById('ledge-head'), html`<h2>Hand off</h2><span class="${bare ? 'ask' : 'quiet'}">${words}</span>`);
    if (!this.body.querySelector('.saver')) this.build();
  }

  build() {
    const { body } = this;
    const { width } = this.app.data.shot;
    fill(body, html`
      <div class="saver"><h2>Numbered PNG, with alpha</h2>
        <p><label>one for each <select id="png-what"><option value="frames">frame</option><option value="drawings">drawing</option></select></label>
          <label>of <select id="png-only"><option value="seen">all that is seen</option><option value="ink">ink</option><option value="flats">flats</option><option value="tones">tones</option><option value="flats-tones">flats and tones</option></select></label></p>
        <p class="quiet" id="png-exact" hidden>Exactly the key's colours, nothing smoothed, at the drawing's own size.</p>
        <p><label>width <input id="png-width" type="number" min="${LEAST}" max="${MOST.png}" value="${width}"> px</label></p>
        <p><button class="main" id="save-png">Save PNG</button> <span id="png-note"></span></p></div>
      <div class="saver"><h2>Looping GIF</h2>
        <p><label>width <input id="gif-width" type="number" min="${LEAST}" max="${MOST.gif}" value="${Math.min(640, width)}"> px</label></p>
        <p id="gif-size" class="number">&nbsp;</p>
        <p><button class="main" id="save-gif">Save GIF</button> <span id="gif-note"></span></p></div>`);
    body.querySelector('#png-only').addEventListener('change', ({ target }) => {
      const exact = !['seen', 'ink'].includes(target.value);
      body.querySelector('#png-exact').hidden = !exact;
      body.querySelector('#png-width').disabled = exact;
    });
    body.querySelector('#save-png').addEventListener('click', () => this.save('png', body.querySelector('#png-what').value));
    body.querySelector('#save-gif').addEventListener('click', () => this.save('gif', 'gif'));
    body.querySelector('#gif-width').addEventListener('input', () => {
      clearTimeout(this.timer);
      this.timer = setTimeout(() => this.estimate(), PAUSE);
    });
    this.estimate();
  }

  // The width asked for in px, or 0 after saying what is wrong with it.
  width(format) {
    const value = Math.round(Number(this.body.querySelector(`#${format}-width`).value));
    if (value >= LEAST && value <= MOST[format]) return value;
    notice(`The width must lie between ${LEAST} and ${MOST[format]} px`, true);
    return 0;
  }

  save(format, what) {
    const width = this.width(format);
    if (!width) return;
    const note = this.body.querySelector(`#${format}-note`);
    note.textContent = 'Saving …';
    const only = format === 'png' ? this.body.querySelector('#png-only').value : 'seen';
    this.app.jobs.start(`/api/levels/${this.app.level}/export`, { what, width, only }, (job) => {
      if (job.state !== 'done') { note.textContent = job.state === 'cancelled' ? 'Cancelled' : 'Not saved'; return; }
      fill(note, html`<a href="/exports/${job.id}" download>Download</a>`);
      note.querySelector('a').click();
    });
  }

  async estimate() {
    const width = this.width('gif');
    if (!width) return;
    const note = this.body.querySelector('#gif-size');
    note.textContent = 'Estimating the size …';
    try {
      const { bytes } = await get(`/api/levels/${this.app.level}/gif-size?width=${width}`);
      note.textContent = `about ${size(bytes)}`;
    } catch (error) { note.textContent = error.message; }
  }
}
