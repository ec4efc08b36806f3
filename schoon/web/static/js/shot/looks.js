// Other ways to look at the drawing on the table, at every stop: its silhouette, its values, mirrored, as it once was; and
// what it is flipped against while a key is held.

import { fill, html } from '../dom.js';
import { shown } from '../keys.js';
import { get, notice } from '../api.js';

const $ = (id) => document.getElementById(id);

// way -> [name].
export const WAYS = { plain: ['As it is'], silhouette: ['Silhouette'], values: ['Values'], garish: ['Garish'], bare: ['No ink'] };

// A sheet picture is measured at this many px, and from this much on, of 255, something is drawn on it.
const SMALL = 240;
const UNLIKE = 24;
const clock = new Intl.DateTimeFormat('en-GB', { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' });

export class Looks {
  constructor(app) {
    this.app = app;
    // moment: a revision that is seen instead of what is now; against: what is seen while the key is held.
    Object.assign(this, { way: 'plain', moment: '', against: 'before', held: false, moments: new Map(), sheets: new Map() });
    this.box = $('looks-box');
    $('see-looks').addEventListener('click', () => this.open(this.box.hidden));
    app.on('drawn', () => { if (!this.box.hidden) this.show(); });
    app.on('leave', () => { if (this.moment) this.moment = ''; });
  }

  // Whether the table shows a picture that is not drawn here.
  get other() { return this.held || Boolean(this.moment); }

  // Patches are needed to tell a figure from the paper.
  get needsPatches() { return this.way !== 'plain' && this.way !== 'bare'; }

  open(on) {
    this.box.hidden = !on;
    $('see-looks').setAttribute('aria-pressed', String(on));
    if (on) this.show();
  }

  next() {
    const ways = Object.keys(WAYS);
    this.see(ways[(ways.indexOf(this.way) + 1) % ways.length]);
    notice(WAYS[this.way][0]);
  }

  see(way) {
    this.way = way;
    document.body.dataset.sight = way;
    for (const button of document.querySelectorAll('[data-sight]:not(body)')) button.setAttribute('aria-pressed', String(button.dataset.sight === way));
    this.app.table.draw();
  }

  // The other keys of the model, sheet pictures, drawings, and moments of this drawing.
  choices() {
    const { app } = this;
    const { keys, key } = app.data;
    const pictures = JSON.parse($('dock-picture')?.dataset.pictures ?? '[]');
    return [
      ...Object.entries(this.others()).map(([id, [words, other]]) => [id, `drawing ${other.number}, ${words}: what differs`]),
      ...pictures.map((p) => [`model:${p.sha256}`, `the model, ${p.caption || 'sheet'}`]),
      ...keys.filter((k) => k.id !== key).map((k) => [`key:${k.id}`, `the key ${k.name}`]),
      ...this.revisions().map(([revision, words]) => [`moment:${revision}`, `as it was, ${words}`]),
    ];
  }

  // Drawings whose lines can be laid over this one's.
  others() {
    const { app } = this;
    const { pinned } = app.onion;
    const all = { before: ['before it', app.neighbour(-1)], after: ['after it', app.neighbour(1)], pinned: ['pinned', pinned !== app.current && pinned] };
    return Object.fromEntries(Object.entries(all).filter(([, [, other]]) => other?.strokes && app.current.strokes));
  }

  revisions() { return this.moments.get(this.app.current.id) ?? []; }

  // What was done to the drawing on the table, newest first: what it was before each of it.
  async load() {
    const { app } = this;
    const { id, revision } = app.current;
    if (this.loaded === `${id}.${revision}`) return;
    this.loaded = `${id}.${revision}`;
    try {
      const { entries } = await get(`/api/shots/${app.data.shot.id}/history`);
      const own = entries.flatMap((e) => e.drawings.filter((d) => d.id === id)
        .map((d) => [d.before ?? 0, `before “${e.label}”, ${clock.format(new Date(e.when))}`]));
      this.moments.set(id, own.filter(([r], k) => own.findIndex(([other]) => other === r) === k));
      if (!this.box.hidden && app.current.id === id) this.show();
    } catch (error) { notice(error.message, true); }
  }

  show() {
    const { app } = this;
    const choices = this.choices();
    if (!choices.some(([id]) => id === this.against)) this.against = choices[0]?.[0] ?? '';
    fill(this.box, html`<label>see <select id="looks-way"
      autocomplete="off">${Object.entries(WAYS)
        .map(([id, [words]]) => html`<option value="${id}" ${id === this.way ? 'selected' : ''}>${words}</option>`)}</select></label>
      <label><input id="looks-mirror" type="checkbox" ${app.table.view.mirrored ? 'checked' : ''} autocomplete="off"> mirrored</label>
      <label>moment <select id="looks-moment" autocomplete="off"><option
        value="">now</option>${this.revisions().map(([id, words]) => html`<option value="${id}"
          ${String(id) === this.moment ? 'selected' : ''}>${words}</option>`)}</select></label>
      <label><span title="Hold the key left of 1">held <kbd>${shown('backquote')}</kbd></span> against <select id="looks-against"
        autocomplete="off">${choices.map(([id, words]) => html`<option value="${id}"
          ${id === this.against ? 'selected' : ''}>${words}</option>`)}</select></label>`);
    $('looks-way').addEventListener('change', ({ target }) => this.see(target.value));
    $('looks-mirror').addEventListener('change', () => this.mirror());
    $('looks-moment').addEventListener('change', ({ target }) => { this.moment = target.value; app.table.compose(); });
    $('looks-against').addEventListener('change', ({ target }) => { this.against = target.value; });
    this.load();
  }

  mirror() { this.app.table.view.mirror(); }

  // While the key is held the other one is seen.
  async hold(on) {
    const { app } = this;
    this.held = on;
    const choices = this.choices();
    if (on && !choices.some(([id]) => id === this.against)) this.against = choices[0]?.[0] ?? '';
    if (on && this.against.startsWith('model:')) { await this.measure(this.against.slice(6)); if (!this.held) return; }
    if (on && !this.url(960)) { notice('There is nothing to compare it with here; choose something else under Look', true); this.held = false; return; }
    app.table.compose();
    const words = choices.find(([id]) => id === this.against)?.[1];
    if (on) app.tools.says(`held: ${words}`); else app.tools.status();
  }

  // What is seen in place of the drawing: { url, box }, box: left, top, width, height of where it lies, px.
  url(width) {
    const { app } = this;
    const entry = app.current;
    const [what, name] = (this.held ? this.against : `moment:${this.moment}`).split(':');
    const plain = `/drawings/${entry.id}/view.webp?w=${width}&look=paint&clear=true&exact=true`;
    if (what === 'model') return { url: `/pictures/${name}`, box: this.figure(entry, this.sheets.get(name)) };
    if (what === 'key') return { url: `${plain}&key=${name}&v=${entry.revision}.${app.colours.tag}` };
    if (what === 'moment') return { url: `${plain}&revision=${name}&v=m${name}.${app.colours.tag}` };
    const [, other] = this.others()[what] ?? [];
    return other ? { url: `/drawings/${entry.id}/against.webp?other=${other.id}&v=${entry.revision}.${other.revision}.${app.colours.tag}` } : null;
  }

  // Where a sheet picture lies so that what is drawn on it stands where the figure stands, and as high.
  figure({ box }, sheet) {
    const [w, h] = this.app.table.view.size;
    const [x0, y0, x1, y1] = box ?? [0, 0, w, h];
    const scale = (y1 - y0) / (sheet.bottom - sheet.top);
    return { x: (x0 + x1) / 2 - (scale * (sheet.left + sheet.right)) / 2, y: y0 - scale * sheet.top, width: scale * sheet.width, height: scale * sheet.height };
  }

  // What of a sheet picture is drawn on, px: all that is unlike its corner.
  async measure(name) {
    if (this.sheets.has(name)) return;
    const image = new Image();
    image.src = `/pictures/${name}`;
    await image.decode();
    const { naturalWidth: width, naturalHeight: height } = image;
    const step = Math.max(1, Math.max(width, height) / SMALL);
    const canvas = new OffscreenCanvas(Math.ceil(width / step), Math.ceil(height / step));
    const ink = canvas.getContext('2d');
    ink.drawImage(image, 0, 0, canvas.width, canvas.height);
    const { data } = ink.getImageData(0, 0, canvas.width, canvas.height);
    const sheet = { width, height, left: width, top: height, right: 0, bottom: 0 };
    for (let k = 0; k < data.length; k += 4) {
      if ([0, 1, 2, 3].every((c) => Math.abs(data[k + c] - data[c]) < UNLIKE)) continue;
      const [x, y] = [((k / 4) % canvas.width) * step, Math.floor(k / 4 / canvas.width) * step];
      Object.assign(sheet, { left: Math.min(sheet.left, x), right: Math.max(sheet.right, x + step), top: Math.min(sheet.top, y),
        bottom: Math.max(sheet.bottom, y + step) });
    }
    if (sheet.right <= sheet.left) Object.assign(sheet, { left: 0, top: 0, right: width, bottom: height });
    this.sheets.set(name, sheet);
  }
}
