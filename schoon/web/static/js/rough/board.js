// The pass that is drawn on, as a canvas over the paper at the drawing's own size. What a stroke changes is sent as tiles.

import { notice } from '../api.js';
import { edit } from '../edits/queue.js';

const SIDE = 256;
const canvasOf = (width, height) => new OffscreenCanvas(width, height);

export class Board {
  constructor(app) {
    this.app = app;
    this.canvas = document.getElementById('sketch');
    [this.canvas.width, this.canvas.height] = app.table.view.size;
    this.ink = this.canvas.getContext('2d', { desynchronized: true });
    // What lies on it: drawing and pass; the revision it is of; strokes that are on their way.
    Object.assign(this, { on: '', known: null, pending: 0, touched: new Set() });
  }

  place([a, b, c, d, e, f]) { this.canvas.style.transform = `matrix(${a}, ${b}, ${c}, ${d}, ${e}, ${f})`; }

  hide() { this.canvas.hidden = true; }

  // Shows a pass of a drawing, { id, state, tiles }, or nothing. What was drawn since is not read again.
  async show(entry, pass) {
    this.canvas.hidden = !pass;
    if (!pass) { this.on = ''; return; }
    this.canvas.style.opacity = pass.state === 'faint' ? 0.28 : 1;
    const name = `${entry.id}.${pass.id}`;
    if (this.on === name && (this.pending || this.known === entry.revision)) return;
    this.on = name;
    this.known = entry.revision;
    const ticket = (this.ticket = (this.ticket ?? 0) + 1);
    const tiles = await Promise.all(Object.entries(pass.tiles).map(async ([at, sha]) => {
      const image = new Image();
      image.src = `/pictures/${sha}`;
      await image.decode();
      return [at.split(',').map(Number), image];
    }));
    if (ticket !== this.ticket || this.pending) return;
    this.ink.clearRect(0, 0, this.canvas.width, this.canvas.height);
    for (const [[column, row], image] of tiles) this.ink.drawImage(image, column * SIDE, row * SIDE);
  }

  // A new, empty pass that is drawn on before the server knows of it.
  begin(entry, id) {
    this.on = `${entry.id}.${id}`;
    this.known = entry.revision;
    this.ticket = (this.ticket ?? 0) + 1;
    this.canvas.hidden = false;
    this.canvas.style.opacity = 1;
    this.ink.clearRect(0, 0, this.canvas.width, this.canvas.height);
  }

  // Marks what was drawn about a place, px.
  touch(x, y, radius) {
    for (let row = Math.floor((y - radius) / SIDE); row <= (y + radius) / SIDE; row += 1) {
      for (let column = Math.floor((x - radius) / SIDE); column <= (x + radius) / SIDE; column += 1) {
        if (row >= 0 && column >= 0 && row * SIDE < this.canvas.height && column * SIDE < this.canvas.width) this.touched.add(`${column},${row}`);
      }
    }
  }

  // Sends what has changed since the last time.
  async keep(entry, pass) {
    const places = [...this.touched];
    this.touched.clear();
    if (!places.length) return;
    this.pending += 1;
    try {
      const tiles = Object.fromEntries(await Promise.all(places.map(async (at) => [at, await this.tile(at)])));
      await edit(entry, 'pencil', { id: pass, tiles });
      this.known = entry.revision;
      entry.sheet = false;
      this.app.sync.changed(entry);
    } catch (error) { notice(error.message, true); this.on = ''; }
    this.pending -= 1;
    if (!this.on && entry === this.app.current) this.app.table.draw();
  }

  async tile(at) {
    const [column, row] = at.split(',').map(Number);
    const small = canvasOf(SIDE, SIDE);
    small.getContext('2d').drawImage(this.canvas, -column * SIDE, -row * SIDE);
    return base64(await small.convertToBlob({ type: 'image/png' }));
  }

  // Resolves when everything that was drawn has arrived.
  async settled() { while (this.pending) await new Promise((go) => { setTimeout(go, 20); }); }
}

export async function base64(blob) {
  const bytes = new Uint8Array(await blob.arrayBuffer());
  let text = '';
  for (let k = 0; k < bytes.length; k += 0x8000) text += String.fromCharCode(...bytes.subarray(k, k + 0x8000));
  return btoa(text);
}
