// Hand off: look at the size, then save.

import { fill, html } from '../dom.js';
import { get, notice } from '../api.js';

const size = (bytes) => (bytes > 1e6 ? `${(bytes / 1e6).toFixed(1)} MB` : `${Math.max(1, Math.round(bytes / 1e3))} kB`);

export function handOffStage(app) {
  const level = app.data.shot.level_id;
  let timer = 0;

  function save(what, width, note) {
    note.textContent = 'Saving …';
    app.jobs.start(`/api/levels/${level}/export`, { what, width }, (job) => {
      if (job.state !== 'done') { note.textContent = job.state === 'cancelled' ? 'Cancelled' : 'Not saved'; return; }
      fill(note, html`<a href="/exports/${job.id}" download>Download</a>`);
      note.querySelector('a').click();
    });
  }

  async function estimate(width, note) {
    note.textContent = 'Estimating the size …';
    try { note.textContent = `about ${size((await get(`/api/levels/${level}/gif-size?width=${width}`)).bytes)}`; } catch (error) { note.textContent = error.message; }
  }

  function ledge() {
    const { shot, run } = app.data;
    const bare = run.filter((d) => !d.painted).length;
    fill(document.getElementById('ledge-head'), html`<h2>Hand off</h2><span class="${bare ? 'ask' : 'quiet'}">${bare ? html`${bare} of ${run.length} drawings have no paint` : html`${run.length} drawings, ${shot.frames} frames, ready`}</span>`);
    const body = document.getElementById('ledge-body');
    if (body.querySelector('.saver')) return;
    fill(body, html`
      <div class="saver"><h2>Numbered PNG, with alpha</h2>
        <p><label>one for each <select id="png-what"><option value="frames">frame</option><option value="drawings">drawing</option></select></label></p>
        <p><label>width <input id="png-width" type="number" min="16" max="8192" value="${shot.width}"> px</label></p>
        <p><button class="main" id="save-png">Save PNG</button> <span id="png-note"></span></p></div>
      <div class="saver"><h2>Looping GIF</h2>
        <p><label>width <input id="gif-width" type="number" min="16" max="1920" value="${Math.min(640, shot.width)}"> px</label></p>
        <p id="gif-size" class="number">&nbsp;</p>
        <p><button class="main" id="save-gif">Save GIF</button> <span id="gif-note"></span></p></div>`);
    const width = (id, most) => {
      const field = body.querySelector(id);
      const value = Math.round(Number(field.value));
      if (!(value >= 16 && value <= most)) { notice(`The width must lie between 16 and ${most} px`, true); return 0; }
      return value;
    };
    body.querySelector('#save-png').addEventListener('click', () => {
      const w = width('#png-width', 8192);
      if (w) save(body.querySelector('#png-what').value, w, body.querySelector('#png-note'));
    });
    body.querySelector('#save-gif').addEventListener('click', () => {
      const w = width('#gif-width', 1920);
      if (w) save('gif', w, body.querySelector('#gif-note'));
    });
    const note = body.querySelector('#gif-size');
    const ask = () => { const w = width('#gif-width', 1920); if (w) estimate(w, note); };
    body.querySelector('#gif-width').addEventListener('input', () => { clearTimeout(timer); timer = setTimeout(ask, 500); });
    ask();
  }

  return { look: 'paint', tools: [], pen: 'Look', keys: 'Space plays · hold 1 2 3 to flip · A D step', ledge };
}
