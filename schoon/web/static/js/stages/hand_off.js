// Hand off: what is still open, then files of many kinds; the last ones stay listed.

import { fill, html } from '../dom.js';
import { get, notice, post } from '../api.js';
import { Stage } from './stage.js';

const LEAST = 16;
const MOST = 8192;
const PAUSE = 500;
const size = (bytes) => (bytes > 1e6 ? `${(bytes / 1e6).toFixed(1)} MB` : `${Math.max(1, Math.round(bytes / 1e3))} kB`);
const WORDS = { frames: 'pictures, one a frame', drawings: 'pictures, one a drawing', gif: 'GIF', mp4: 'movie', svg: 'SVG', openraster: 'layered frame',
  keys: 'frame in every key', layers: 'shot in layers', package: 'package' };
// What a package can hold, and whether it does until somebody says otherwise.
const INCLUDED = { frames: ['frames', true], layers: ['layers', true], movie: ['movie', true], passes: ['passes', false], parts: ['parts', false],
  svg: ['SVG', false] };
// What is said of pictures that are not as they are seen.
const EXACT = "Exactly the key's colours, nothing smoothed, at the drawing's own size.";
const APART = { passes: 'A folder a pass, level by level; passes.json says how they add up.',
  parts: 'A folder a part, level by level, rear to front in parts.json.' };
const SHOWN = {
  seen: 'all that is seen', ink: 'ink', flats: 'flats', tones: 'tones', 'flats-tones': 'flats and tones', passes: 'each pass by itself',
    parts: 'each part by itself',
};
const PATTERN = '{shot}_{level}_{number}';

// What is remembered of the fields, a production at a time.
const remembered = (id) => `hand-off-${id}`;

export class HandOffStage extends Stage {
  constructor(app, name) {
    super(app, name);
    this.look = 'paint';
    this.patches = 'pots';
    this.tones = 'pots';
    this.open = [];
    this.made = [];
    // Whether what is open was waved through, here and now, and whether it is only a work copy.
    this.cleared = this.copy = false;
  }

  // The table shows what is handed off.
  get composed() { return Boolean(this.app.levels.mine?.finish.length); }

  // What is open is told of the levels as they are now: one is looked at anew if anything in it has changed.
  async start() {
    const { app } = this;
    this.told = null;
    this.load();
    try {
      for (const { id } of app.levels.all.filter((level) => level.kind === 'drawings')) {
        const { job } = await post(`/api/levels/${id}/proof`);
        if (job) app.jobs.watch({ id: job, kind: 'proof', state: 'waiting', done: 0, total: 1 }, () => { this.load(); app.sync.refresh(); }, true);
      }
    } catch (error) { notice(error.message, true); }
  }

  refreshed() { this.load(); }

  async load() {
    const { app } = this;
    try {
      const [{ open }, { exports: made }] = await Promise.all([get(`/api/levels/${app.level}/open?whole=true`), get(`/api/levels/${app.level}/exports`)]);
      Object.assign(this, { open, made });
      // A link that is being pressed is not replaced by the same one.
      const told = JSON.stringify([open, app.data.run.length, app.data.shot.frames]);
      if (told !== this.told) this.ledge();
      this.told = told;
      this.showMade();
    } catch (error) { notice(error.message, true); }
  }

  ledge() {
    const { app } = this;
    const { shot } = app.data;
    const link = (one) => html`<a href="/shots/${shot.id}/${one.stage}?level=${app.level}">${one.words}</a>`;
    this.heads([['files', 'Files']], 'files', html`
      ${this.open.length ? html`<span class="gate"><b class="ask">Still open:</b> ${this.open.map((one, k) => html`${k ? ', ' : ''}${link(one)}`)}</span>
        <label><input id="gate-cleared" type="checkbox" ${this.cleared ? 'checked' : ''} autocomplete="off"> hand off all the same</label>`
          : html`<span class="quiet">nothing is open: ${app.data.run.length} drawings, ${shot.frames} frames</span>`}
      <label><input id="work-copy" type="checkbox" ${this.copy ? 'checked' : ''} autocomplete="off"
        title="Can always be made; its name says so"> work copy</label>
      <span class="push"></span><a href="/shots/${shot.id}/report/findings.html" target="_blank">Report</a> <a
        href="/shots/${shot.id}/sheet.csv">Sheet</a>${app.data.model ? html` <a href="/models/${app.data.model}/pots.csv">Palette</a>` : ''}`);
    document.getElementById('gate-cleared')?.addEventListener('change', ({ target }) => { this.cleared = target.checked; });
    document.getElementById('work-copy').addEventListener('change', ({ target }) => { this.copy = target.checked; });
    if (!this.body.querySelector('.saver')) this.build();
  }

  build() {
    const { body } = this;
    const { width } = this.app.data.shot;
    const choice = (id, choices) => html`<select id="${id}"
      autocomplete="off">${Object.entries(choices).map(([v, words]) => html`<option value="${v}">${words}</option>`)}</select>`;
    const more = (content) => html`<details class="more"><summary>more</summary>${content}</details>`;
    const px = (id, most, value) => html`<label>width <input id="${id}" type="number" min="${LEAST}" max="${most}" value="${value}"> px</label>`;
    const ofPictures = html`<p><label>show ${choice('png-only', SHOWN)}</label> ${px('png-width', MOST, width)}</p>
      <p class="quiet" id="png-exact" hidden></p>
      <p><label>name <input id="png-pattern" value="${PATTERN}" size="22" maxlength="120"
        title="May name {production}, {shot}, {level}, {pass}, {number}"></label>
        <label>from <input id="png-start" type="number" min="0" max="100000" value="1"></label>
        <label>digits <input id="png-padding" type="number" min="1" max="8" value="4"></label></p>`;
    const ofLooks = html`<p>GIF ${px('gif-width', 1920, Math.min(640, width))}
        <label>at most <input id="gif-limit" type="number" min="0" max="1000000" step="50" value="0" title="0 for any size"> kB</label>
        <label><input id="gif-once" type="checkbox" autocomplete="off"> once</label></p>
      <p>MP4 ${px('mp4-width', MOST, width)} <label>quality ${choice('mp4-quality', { good: 'good', best: 'best', small: 'small' })}</label></p>`;
    const included = Object.entries(INCLUDED)
      .map(([id, [words, on]]) => html`<label><input type="checkbox" data-include="${id}" ${on ? 'checked' : ''} autocomplete="off"> ${words}</label> `);
    fill(body, html`
      <div class="saver"><h2>Pictures, with alpha</h2>
        <p><label>as ${choice('png-kind', { png: 'PNG', tiff: 'TIFF', webp: 'WebP' })}</label>
          <label>one a ${choice('png-what', { frames: 'frame', drawings: 'drawing' })}</label>
          <label>of ${choice('png-of', { level: 'this level', levels: 'each level', frame: 'the whole frame' })}</label></p>
        <p><button class="main" id="save-png">Save pictures</button> <span class="number quiet" id="png-name">&nbsp;</span> <span id="png-note"></span></p>
        ${more(ofPictures)}</div>
      <div class="saver"><h2>To look at</h2>
        <p><button class="main" id="save-gif">Save GIF</button> <span id="gif-size" class="number">&nbsp;</span> <span id="gif-note"></span></p>
        <p><button class="main" id="save-mp4">Save MP4</button> <span id="mp4-note"></span></p>
        ${more(ofLooks)}</div>
      <div class="saver"><h2>To work on</h2>
        <p><button class="main" id="save-package" title="With sheet, palettes, report and the production itself">Package</button> <span
          id="package-note"></span>
          <button id="save-layers" title="Levels, timing, placement">Shot in layers</button> <span id="layers-note"></span></p>
        <p><button id="save-openraster" title="OpenRaster">This frame, layered</button> <button id="save-keys"
          title="A layer a colour key, as alternatives">in every key</button>
          <button id="save-svg" title="Groups by part, pots as classes">SVG</button>
          <span id="openraster-note"></span><span id="keys-note"></span><span id="svg-note"></span></p>
        ${more(html`<p class="included">In the package: ${included}</p>`)}</div>
      <div class="saver"><h2>Saved before</h2><ol id="made" class="made"></ol></div>`);
    this.remember();
    const on = (id, event, does) => body.querySelector(`#${id}`).addEventListener(event, does);
    on('png-only', 'change', () => this.exact());
    for (const what of ['gif', 'mp4', 'svg', 'layers', 'openraster', 'keys', 'package']) on(`save-${what}`, 'click', () => this.save(what, what));
    on('save-png', 'click', () => this.save('png', body.querySelector('#png-what').value));
    on('gif-width', 'input', () => { clearTimeout(this.timer); this.timer = setTimeout(() => this.estimate(), PAUSE); });
    for (const id of ['png-pattern', 'png-start', 'png-padding', 'png-kind', 'png-only']) on(id, 'input',
      () => { clearTimeout(this.naming); this.naming = setTimeout(() => this.showName(), PAUSE); });
    body.addEventListener('change', () => this.keep());
    this.exact();
    this.estimate();
    this.showName();
    this.showMade();
  }

  value(id) { return this.body.querySelector(`#${id}`).value; }

  exact() {
    const only = this.value('png-only');
    const exact = !['seen', 'ink'].includes(only);
    const said = this.body.querySelector('#png-exact');
    said.hidden = !exact;
    said.textContent = APART[only] ?? EXACT;
    this.body.querySelector('#png-width').disabled = exact;
  }

  // Fields stay as they were for the next shot of the production.
  keep() {
    const fields = [...this.body.querySelectorAll('.saver select, .saver input:not([type="checkbox"])')].map((field) => [field.id, field.value]);
    localStorage[remembered(this.app.data.shot.production)] = JSON.stringify(Object.fromEntries(fields));
  }

  remember() {
    const kept = JSON.parse(localStorage[remembered(this.app.data.shot.production)] ?? '{}');
    for (const [id, value] of Object.entries(kept)) { const field = this.body.querySelector(`#${CSS.escape(id)}`); if (field && value) field.value = value; }
  }

  // The width asked for in px, or 0 after saying what is wrong with it.
  width(format) {
    const field = this.body.querySelector(`#${format}-width`);
    if (!field) return this.app.data.frame[0];
    const value = Math.round(Number(field.value));
    if (value >= LEAST && value <= Number(field.max)) return value;
    notice(`The width must lie between ${LEAST} and ${field.max} px`, true);
    return 0;
  }

  save(format, what) {
    const { app } = this;
    const width = this.width(format);
    if (!width) return;
    const ticked = (id) => Boolean(document.getElementById(id)?.checked);
    const wish = { what, width, copy: this.copy, cleared: this.cleared };
    if (format === 'png') Object.assign(wish,
      { only: this.value('png-only'), of: this.value('png-of'), kind: this.value('png-kind'), pattern: this.value('png-pattern'),
        start: Number(this.value('png-start')), padding: Number(this.value('png-padding')) });
    if (format === 'gif') Object.assign(wish, { limit: 1000 * Number(this.value('gif-limit')), once: ticked('gif-once') });
    if (format === 'mp4') wish.quality = this.value('mp4-quality');
    if (['openraster', 'keys'].includes(format)) wish.start = app.frame;
    if (format === 'package') wish.include = [...this.body.querySelectorAll('[data-include]:checked')].map((box) => box.dataset.include);
    const note = this.body.querySelector(`#${format}-note`);
    note.textContent = 'Saving …';
    app.jobs.start(`/api/levels/${app.level}/export`, wish, (job) => {
      this.load();
      if (job.state !== 'done') { note.textContent = job.state === 'cancelled' ? 'Cancelled' : 'Not saved'; return; }
      fill(note, html`<a href="/exports/${job.id}" download>Download</a>`);
      note.querySelector('a').click();
    }).then(() => { if (!app.jobs.open.size) note.textContent = ''; });
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

  // What the first file will be called, or what is wrong with the pattern.
  async showName() {
    const note = this.body.querySelector('#png-name');
    const asked = new URLSearchParams({ pattern: this.value('png-pattern'), start: this.value('png-start'), padding: this.value('png-padding'),
      kind: this.value('png-kind'), only: this.value('png-only') });
    try { note.textContent = (await get(`/api/levels/${this.app.level}/export-name?${asked}`)).name; } catch (error) { note.textContent = error.message; }
  }

  showMade() {
    const list = this.body.querySelector('#made');
    if (list) fill(list, html`${this.made.map((one) => html`<li><a href="/exports/${one.id}"
      download>${one.copy ? 'work copy, ' : ''}${WORDS[one.what]}${one.only === 'seen' ? '' : `, ${one.only}`}</a> <span
        class="quiet number">${size(one.bytes)} · ${one.made}${one.by ? ` · ${one.by}` : ''}</span></li>`)}${this.made.length ? ''
          : html`<li class="quiet">Nothing yet.</li>`}`);
  }
}
