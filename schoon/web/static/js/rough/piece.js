// A piece of the rough that was drawn round: moved, turned, scaled and bent by its corners, then laid down, here or on others.

import { notice } from '../api.js';
import { change } from '../edits/queue.js';
import { fill, html } from '../dom.js';
import { lineNow } from '../shot/drawings.js';
import { ofTriangle, throughCorners } from '../pure/perspective.js';
import { make } from '../shot/paper.js';
import { base64 } from './board.js';
import { newId } from './passes.js';

const REACH = 14;
// Px of the screen from a corner to the tip that bends it.
const TIP = 26;
// Cells a side in which a bent piece is shown, and px of the screen that it is shown with at most a side.
const CELLS = 8;
const MOST = 900;
const $ = (id) => document.getElementById(id);

// Px of the drawing within which some paper is seen between lines.
const PAPER = 24;

// The paper under a drawing: the lightest that is seen near each place, which shade and folds of a scan go along with.
function paperOf({ data, width, height }) {
  const [columns, rows] = [Math.ceil(width / PAPER), Math.ceil(height / PAPER)];
  const small = new ImageData(columns, rows);
  small.data.fill(0);
  for (let y = 0; y < height; y += 1) {
    for (let x = 0; x < width; x += 1) {
      const [from, to] = [4 * (y * width + x), 4 * (Math.floor(y / PAPER) * columns + Math.floor(x / PAPER))];
      for (let c = 0; c < 4; c += 1) small.data[to + c] = Math.max(small.data[to + c], data[from + c]);
    }
  }
  const made = new OffscreenCanvas(columns, rows);
  made.getContext('2d').putImageData(small, 0, 0);
  const whole = new OffscreenCanvas(width, height).getContext('2d', { willReadFrequently: true });
  whole.imageSmoothingQuality = 'high';
  whole.drawImage(made, 0, 0, width, height);
  return whole.getImageData(0, 0, width, height);
}

// Ink off its paper: what is as light as the paper is clear.
function unpapered(image, paper) {
  const { data } = image;
  for (let k = 0; k < data.length; k += 4) {
    const ground = [0, 1, 2].map((c) => Math.max(paper.data[k + c], 1));
    const share = Math.max(0, ...ground.map((g, c) => (g - data[k + c]) / g));
    const clean = share < 0.04 ? 0 : share;
    for (let c = 0; c < 3; c += 1) data[k + c] = clean ? (data[k + c] - ground[c] * (1 - clean)) / clean : 0;
    data[k + 3] *= clean;
  }
  return image;
}

export class Piece {
  constructor(app, stage) { Object.assign(this, { app, stage, corners: null }); }

  get on() { return Boolean(this.corners); }

  // ring: [x, y] px of the drawing.
  async cut(ring) {
    const { app } = this;
    await this.stage.board.settled();
    const entry = app.current;
    const line = lineNow(entry);
    const [w, h] = app.table.view.size;
    const [xs, ys] = [0, 1].map((k) => ring.map((p) => p[k]));
    const [x0, y0] = [Math.max(0, Math.floor(Math.min(...xs))), Math.max(0, Math.floor(Math.min(...ys)))];
    const [x1, y1] = [Math.min(w, Math.ceil(Math.max(...xs))), Math.min(h, Math.ceil(Math.max(...ys)))];
    if (x1 - x0 < 4 || y1 - y0 < 4 || !(line?.rough || this.stage.board.on)) { notice('Draw round something'); return; }
    const image = new Image();
    image.src = `/drawings/${entry.id}/rough.png?v=${entry.revision}`;
    try { await image.decode(); } catch { notice('There is nothing drawn here yet'); return; }
    const canvas = new OffscreenCanvas(x1 - x0, y1 - y0);
    const ink = canvas.getContext('2d', { willReadFrequently: true });
    ink.drawImage(image, -x0, -y0);
    const pixels = ink.getImageData(0, 0, canvas.width, canvas.height);
    const paper = paperOf(pixels);
    unpapered(pixels, paper);
    ink.clearRect(0, 0, canvas.width, canvas.height);
    ink.putImageData(pixels, 0, 0);
    ink.globalCompositeOperation = 'destination-in';
    ink.beginPath();
    for (const [x, y] of ring) ink.lineTo(x - x0, y - y0);
    ink.fill();
    this.hole = await this.empty(paper);
    this.picture = canvas;
    this.png = await base64(await canvas.convertToBlob({ type: 'image/png' }));
    Object.assign(this, { entry, ring, from: [x0, y0], size: [x1 - x0, y1 - y0], corners: [[x0, y0], [x1, y0], [x1, y1], [x0, y1]] });
    this.show();
    this.bar();
  }

  // The paper where the piece was, as it is without it.
  async empty(paper) {
    const canvas = new OffscreenCanvas(paper.width, paper.height);
    canvas.getContext('2d').putImageData(paper, 0, 0);
    return base64(await canvas.convertToBlob({ type: 'image/png' }));
  }

  // Beyond each corner: what bends the piece by that corner alone.
  get tips() {
    const [mx, my] = [0, 1].map((k) => this.corners.reduce((sum, c) => sum + c[k], 0) / 4);
    const out = TIP / this.app.table.view.zoom;
    return this.corners.map(([x, y]) => {
      const far = Math.hypot(x - mx, y - my) || 1;
      return [x + ((x - mx) / far) * out, y + ((y - my) / far) * out];
    });
  }

  // While it is there the pen moves it.
  down(at) {
    const { view } = this.app.table;
    const nearest = (places) => places.findIndex(([x, y]) => Math.hypot(x - at[0], y - at[1]) * view.zoom < REACH);
    const near = nearest(this.corners);
    const alone = near < 0 ? nearest(this.tips) : -1;
    const before = this.corners.map((c) => [...c]);
    const move = (e) => {
      const to = view.toPaper(e.clientX, e.clientY);
      const by = [to[0] - at[0], to[1] - at[1]];
      if (alone >= 0) this.corners = before.map((c, k) => (k === alone ? [c[0] + by[0], c[1] + by[1]] : c));
      else if (near < 0) this.corners = before.map(([x, y]) => [x + by[0], y + by[1]]);
      else this.corners = turned(before, near, [before[near][0] + by[0], before[near][1] + by[1]]);
      this.show();
    };
    return { move, up() {}, cancel: () => { this.corners = before; this.show(); } };
  }

  show() {
    const layer = this.app.table.paper.layers['pen-layer'];
    layer.replaceChildren();
    if (!this.corners) return;
    const [[ax, ay], [bx, by], [cx, cy], [dx, dy]] = this.corners;
    const [w, h] = this.size;
    this.without(layer);
    if (Math.hypot(ax - bx + cx - dx, ay - by + cy - dy) > 0.5) this.bent(layer);
    else {
      make('image', { href: `data:image/png;base64,${this.png}`, width: w, height: h, preserveAspectRatio: 'none',
        transform: `matrix(${(bx - ax) / w} ${(by - ay) / w} ${(dx - ax) / h} ${(dy - ay) / h} ${ax} ${ay})` }, layer);
    }
    make('path', { class: 'piece', d: `M${this.corners.map((c) => c.join()).join(' ')}Z` }, layer);
    for (const [x, y] of this.corners) make('circle', { class: 'piece-corner', cx: x, cy: y, r: 6 / this.app.table.view.zoom }, layer);
    const tip = 5 / this.app.table.view.zoom;
    this.tips.forEach(([x, y], k) => {
      make('path', { class: 'piece', d: `M${this.corners[k].join()}L${x},${y}` }, layer);
      make('path', { class: 'piece-corner', d: `M${x},${y - tip}L${x + tip},${y}L${x},${y + tip}L${x - tip},${y}Z` }, layer);
    });
  }

  // Where it was cut out the paper is nearly bare, until it is laid down.
  without(layer) {
    const clip = make('clipPath', { id: 'piece-hole' }, layer);
    make('path', { d: `M${this.ring.map((p) => p.join()).join(' ')}Z` }, clip);
    const [[x, y], [width, height]] = [this.from, this.size];
    make('image', { href: `data:image/png;base64,${this.hole}`, x, y, width, height, 'clip-path': 'url(#piece-hole)', opacity: 0.8 }, layer);
  }

  // A piece whose corners were bent, in triangles that are small enough to look like one picture.
  bent(layer) {
    const [w, h] = this.size;
    const [xs, ys] = [0, 1].map((k) => this.corners.map((c) => c[k]));
    const [x, y, width, height] = [Math.min(...xs), Math.min(...ys), Math.max(...xs) - Math.min(...xs), Math.max(...ys) - Math.min(...ys)];
    const scale = Math.min(this.app.table.view.zoom, MOST / Math.max(width, height));
    const box = make('foreignObject', { x, y, width, height }, layer);
    const canvas = document.createElement('canvas');
    [canvas.width, canvas.height] = [Math.ceil(width * scale), Math.ceil(height * scale)];
    canvas.style.width = `${width}px`;
    canvas.style.height = `${height}px`;
    box.append(canvas);
    const ink = canvas.getContext('2d');
    const through = throughCorners(w, h, this.corners);
    const put = (p) => through(p).map((v, axis) => (v - [x, y][axis]) * scale);
    const triangle = (points) => {
      const there = points.map(put);
      ink.save();
      ink.beginPath();
      // A little over its edge, so that no seam is seen.
      const [mx, my] = [0, 1].map((k) => there.reduce((sum, p) => sum + p[k], 0) / 3);
      for (const [u, v] of there) ink.lineTo(u + Math.sign(u - mx) * 0.7, v + Math.sign(v - my) * 0.7);
      ink.clip();
      ink.setTransform(...ofTriangle(points, there));
      ink.drawImage(this.picture, 0, 0);
      ink.restore();
    };
    for (let r = 0; r < CELLS; r += 1) {
      for (let c = 0; c < CELLS; c += 1) {
        const [left, right, top, low] = [(w * c) / CELLS, (w * (c + 1)) / CELLS, (h * r) / CELLS, (h * (r + 1)) / CELLS];
        triangle([[left, top], [right, top], [left, low]]);
        triangle([[right, top], [right, low], [left, low]]);
      }
    }
  }

  bar() {
    const bar = $('chosen-bar');
    const many = this.app.chosen.size > 1 ? this.app.chosen.size : 0;
    fill(bar, html`<b>Piece</b><button id="piece-move">Lay down <kbd>Enter</kbd></button><button id="piece-copy">Lay down a copy</button>
      ${many ? html`<button id="piece-many">Copy to ${many} chosen drawings</button>` : ''}<button id="piece-mirror">Mirror</button><button
        id="piece-off">Put back <kbd>Esc</kbd></button><span class="quiet">corners scale and turn; a tip bends its corner alone</span>`);
    bar.hidden = false;
    const on = (id, does) => $(id)?.addEventListener('click', does);
    on('piece-move', () => this.lay(true));
    on('piece-copy', () => this.lay(false));
    on('piece-many', () => this.lay(false, [...this.app.chosen]));
    on('piece-mirror', () => { const [a, b, c, d] = this.corners; this.corners = [b, a, d, c]; this.show(); });
    on('piece-off', () => this.end());
  }

  async lay(moves, of = [this.entry.id]) {
    const { app, entry } = this;
    const round = (v) => Math.round(v * 10) / 10;
    const piece = { piece: this.png, corners: this.corners.map((c) => c.map(round)), of, source: moves ? entry.id : null,
      ring: moves ? this.ring.map((p) => p.map(round)) : [], fresh: newId() };
    this.end();
    try {
      await change('levels', app.level, 'lift', piece);
      this.stage.board.on = '';
      await app.sync.refresh();
      if (of.length > 1) notice(`The piece lies on ${of.length} drawings`);
    } catch (error) { notice(error.message, true); }
  }

  end() {
    this.corners = null;
    $('chosen-bar').hidden = true;
    this.show();
  }
}

// Corners scaled and turned so that one of them comes to a place and the one across stays.
function turned(corners, k, to) {
  const [px, py] = corners[(k + 2) % 4];
  const [ax, ay] = [corners[k][0] - px, corners[k][1] - py];
  const [bx, by] = [to[0] - px, to[1] - py];
  const far = Math.max(ax * ax + ay * ay, 1e-6);
  const [c, s] = [(ax * bx + ay * by) / far, (ax * by - ay * bx) / far];
  return corners.map(([x, y]) => [px + c * (x - px) - s * (y - py), py + s * (x - px) + c * (y - py)]);
}
