// The paper: layers of one drawing in SVG, coloured by the pots' CSS variables.

import { centreLine, inverse, multiply } from '../pure/geometry.js';
import { steadied } from '../pure/hand.js';
import { drawTones } from '../tone/layer.js';

const NS = 'http://www.w3.org/2000/svg';

export function make(tag, attributes = {}, parent = null) {
  const node = document.createElementNS(NS, tag);
  for (const [key, value] of Object.entries(attributes)) node.setAttribute(key, value);
  if (parent) parent.append(node);
  return node;
}

// Milliseconds after which a paper that is not moved any more is drawn anew.
const REST = 140;
const LAYERS = ['behind', 'rough', 'patches', 'tones', 'onion', 'own', 'ink', 'composed', 'before', 'said', 'marks', 'ghost', 'stitches', 'passages',
  'doubts', 'frame', 'field', 'path', 'arcs', 'sway', 'prop', 'sun', 'finish', 'tone-points', 'noted', 'waiting', 'hover', 'pen-layer'];
// What a stop and its tools lay over the drawing.
const OVER = ['passages', 'said', 'marks', 'ghost', 'frame', 'path', 'arcs', 'sway', 'prop', 'sun', 'finish', 'tone-points', 'pen-layer'];
// Share of the frame at each side in which nothing that matters should happen.
const SAFE = 0.05;
// What lies on the paper itself, and goes with it where it is placed.
const ON_PAPER = ['rough', 'patches', 'tones', 'onion', 'own', 'ink', 'composed', 'said', 'marks', 'ghost', 'stitches', 'passages', 'doubts', 'frame',
  'noted', 'waiting'];

export class Paper {
  constructor(svg, [width, height]) {
    this.svg = svg;
    this.width = width;
    this.height = height;
    this.zoom = 1;
    // Where the picture of a rough lies on the paper: x, y, width, height.
    this.lies = { x: 0, y: 0, width, height };
    // The pass of the rough that lies on a canvas of its own while it is drawn on.
    this.without = '';
    const defs = make('defs', {}, svg);
    const bare = make('pattern', { id: 'bare', width: 14, height: 14, patternUnits: 'userSpaceOnUse', patternTransform: 'rotate(35)' }, defs);
    make('rect', { width: 14, height: 14, fill: '#fff' }, bare);
    make('rect', { width: 3, height: 14, fill: '#e4e4e4' }, bare);
    // Roughs of neighbours in a tint: their lead takes it, their paper stays white.
    this.tints = {};
    for (const side of ['earlier', 'later']) this.tints[side] = make('feColorMatrix', { type: 'matrix' },
      make('filter', { id: `tint-${side}`, 'color-interpolation-filters': 'sRGB', x: 0, y: 0, width: 1, height: 1 }, defs));
    this.root = make('g', {}, svg);
    make('rect', { class: 'sheet-of-paper', width, height }, this.root);
    this.layers = {};
    for (const layer of LAYERS) this.layers[layer] = make('g', { class: layer }, this.root);
    this.image = make('image', { width, height, preserveAspectRatio: 'none' }, this.layers.rough);
    this.ownImage = make('image', { width, height, preserveAspectRatio: 'none' }, this.layers.own);
    this.composedImage = make('image', { width, height, preserveAspectRatio: 'none' }, this.layers.composed);
    const clip = make('clipPath', { id: 'edge' }, defs);
    make('rect', { width, height }, clip);
    for (const name of ['patches', 'tones']) this.layers[name].setAttribute('clip-path', 'url(#edge)');
  }

  // While the paper is moved, what is drawn is moved as one picture; it is drawn anew when the hand rests.
  place(matrix) {
    clearTimeout(this.later);
    this.matrix = matrix;
    if (!this.drawnAt) { this.settle(); return; }
    this.svg.style.transform = `matrix(${multiply(matrix, inverse(this.drawnAt)).join(',')})`;
    this.later = setTimeout(() => this.settle(), REST);
  }

  settle() {
    clearTimeout(this.later);
    const { matrix } = this;
    this.drawnAt = matrix;
    this.zoom = Math.hypot(matrix[0], matrix[1]);
    this.svg.style.transform = '';
    this.root.setAttribute('transform', `matrix(${matrix.join(' ')})`);
    this.root.style.setProperty('--inverse', 0.8 / this.zoom);
    this.sharpen();
  }

  // entry, line: as the server gives them. how: full, faint or off; what is not seen is not asked for.
  rough(entry, line, how) {
    this.roughOf = how === 'off' || !line.rough ? null : { entry, line };
    this.sharpen();
    this.layers.rough.setAttribute('class', `rough ${how}`);
    this.layers.rough.style.display = this.roughOf ? '' : 'none';
  }

  // The rough as large as it is seen: at its own size only once it is looked at that closely.
  sharpen() {
    if (!this.roughOf) return;
    const { entry, line } = this.roughOf;
    const name = `${line.rough}.${this.without}`;
    for (const [what, value] of Object.entries(this.lies)) this.image.setAttribute(what, value);
    const step = Math.max(roughStep(this.width, this.zoom), this.sharp?.name === name ? this.sharp.step : 0);
    this.sharp = { name, step };
    const url = this.change ?? roughUrl(entry, line, step, this.without);
    if (this.image.getAttribute('href') !== url) this.image.setAttribute('href', url);
  }

  // Ink as it was drawn, in place of the strokes that Schoon read from it; null for none.
  own(url) {
    this.layers.own.style.display = url ? '' : 'none';
    this.layers.ink.classList.toggle('beside-own', Boolean(url));
    if (url && this.ownImage.getAttribute('href') !== url) this.ownImage.setAttribute('href', url);
  }

  // A picture as the server composes it, in place of what is drawn here; null for none. box: where it lies, if not all over.
  composed(url, box = null) {
    this.svg.classList.toggle('as-composed', Boolean(url));
    this.layers.composed.style.display = url ? '' : 'none';
    if (url && this.composedImage.getAttribute('href') !== url) this.composedImage.setAttribute('href', url);
    const { x, y, width, height } = box ?? { x: 0, y: 0, width: this.width, height: this.height };
    for (const [name, value] of Object.entries({ x, y, width, height,
      preserveAspectRatio: box ? 'xMidYMid meet' : 'none' })) this.composedImage.setAttribute(name, value);
  }

  // Lays the paper where it lies in the shot; null for as it is worked on.
  placed(matrix) {
    for (const name of ON_PAPER) {
      if (matrix) this.layers[name].setAttribute('transform', `matrix(${matrix.join(' ')})`);
      else this.layers[name].removeAttribute('transform');
    }
  }

  // The way of something through the drawings, with a tick a drawing: { place, number, here }.
  path(points) {
    const layer = this.layers.path;
    layer.replaceChildren();
    if (points.length > 1) make('polyline', { points: points.map(({ place }) => place.join()).join(' ') }, layer);
    for (const { place: [x, y], number, here } of points) {
      const tick = make('g', { style: `--x: ${x}px; --y: ${y}px`, class: here ? 'here' : '' }, layer);
      make('circle', { r: here ? 6 : 4 }, tick);
      make('text', { x: 7, y: -6 }, tick).textContent = number;
    }
  }

  // Edges of fields of the shot: { kind, matrix }.
  field(lines, [width, height]) {
    const inset = (kind) => (kind === 'safe' ? SAFE : 0);
    this.layers.field.replaceChildren(...lines.map(({ kind, matrix }) => make('rect', {
      x: width * inset(kind), y: height * inset(kind), width: width * (1 - 2 * inset(kind)), height: height * (1 - 2 * inset(kind)),
      class: kind, transform: `matrix(${matrix.join(' ')})`,
    })));
  }

  // Doubtful proposals get a mark of their own: a dotted spine, so that doubt is not told by colour alone.
  ink(strokes, chosen = new Set(), showDoubt = false) {
    this.layers.ink.replaceChildren(...strokes.flatMap((s) => inkNodes(s, chosen.has(s.id), showDoubt)));
  }

  // Lines and forms that were drawn and are on their way to the server: { id, path, width, kind, pot }.
  waiting(list) {
    const layer = this.layers.waiting;
    if (!list.length && !layer.firstChild) return;
    layer.replaceChildren(...list.map(({ id, path, width, kind, pot, steady }) => {
      const points = kind === 'pen' && path.length && path[0].length > 2 ? steadied(path, steady ?? 0) : path;
      const shut = kind === 'cut-out' ? 'Z' : '';
      const node = make('path', { d: `M${points.map(([x, y]) => `${x},${y}`).join(' ')}${points.length < 2 ? 'h.1' : ''}${shut}`, class: kind,
        ...(id ? { 'data-id': id } : {}), ...(width ? { 'stroke-width': width } : {}) });
      if (pot !== undefined && pot !== null) node.style.setProperty(kind === 'broad' ? 'stroke' : 'fill', `var(--pot-${pot})`);
      return node;
    }));
  }

  // Whether a place lies in a patch as it is drawn.
  inside(n, [x, y]) {
    const node = this.patch(n);
    return Boolean(node?.isPointInFill?.(new DOMPoint(x, y)));
  }

  // Takes off whatever a stop has laid over the drawing.
  wipe() {
    for (const name of OVER) { this.layers[name].replaceChildren(); this.layers[name].removeAttribute('transform'); }
  }

  // A small picture of a drawing that is being read, in place of everything else.
  stand(url) {
    for (const name of ['own', 'ink', 'patches', 'tones', 'stitches', 'passages', 'doubts', 'ghost', 'marks', 'said', 'waiting', 'onion', 'before',
      'noted', 'frame']) {
      if (name !== 'own') this.layers[name].replaceChildren();
    }
    this.own(null);
    this.image.removeAttribute('href');
    this.composed(url);
    delete this.svg.dataset.drawing;
  }

  addInk(strokes) { this.layers.ink.append(...strokes.flatMap((s) => inkNodes(s, false, false))); }

  stroke(id) { return [...this.layers.ink.children].find((node) => node.dataset.id === id); }

  // Strokes that are only shown, such as a preview.
  ghost(strokes) { this.layers.ghost.replaceChildren(...strokes.map((s) => make('path', { d: s.d, class: s.kind ?? '' }))); }

  // Marks of a rough that are no lines, each kind in its tint: { kind, d }.
  marks(list) { this.layers.marks.replaceChildren(...list.map(({ kind, d }) => make('path', { d, class: `mark-${kind}` }))); }

  // Scribbles that say what marks are: { kind, d, reach }, reach in px of the drawing.
  said(list) { this.layers.said.replaceChildren(...list.map(({ kind, d, reach }) => make('path',
    { d, class: `scribble mark-${kind}`, 'stroke-width': 2 * reach }))); }

  stitches(list, chosen = null) {
    const nodes = [];
    for (const s of list) {
      nodes.push(make('path', { d: s.d, class: `${s.state} ${chosen === s.id ? 'chosen' : ''}` }));
      nodes.push(make('path', { d: s.d, class: 'reach', 'data-id': s.id }));
    }
    this.layers.stitches.replaceChildren(...nodes);
  }

  // how: 'pots' paints with the colour key, 'tints' gives every patch a pale colour of its own.
  patches(shapes, how, showBare = false) {
    const layer = this.layers.patches;
    if (!shapes) { layer.replaceChildren(); this.layers.doubts.replaceChildren(); return; }
    layer.setAttribute('class', `patches ${showBare ? 'show' : ''}`);
    const doubts = [];
    layer.replaceChildren(...shapes.patches.filter((p) => p.n !== shapes.background || shapes.paint[p.n]).map((p) => {
      const paint = shapes.paint[p.n];
      const node = make('path', { d: p.d, 'data-n': p.n, 'fill-rule': 'evenodd' });
      if (how === 'tints') {
        node.style.fill = node.style.stroke = `hsl(${(p.n * 137.5) % 360} 55% 84%)`;
      } else {
        this.colour(node, paint?.pot);
        if (paint?.unsure && showBare) doubts.push(p);
      }
      return node;
    }));
    this.ask(doubts);
  }

  // Marks what is in doubt. list: { at, n } place, and patch if it is one.
  ask(list) {
    this.layers.doubts.replaceChildren(...list.map(({ at, n }) => {
      const group = make('g', { style: `--x: ${at[0]}px; --y: ${at[1]}px`, ...(n === undefined ? {} : { 'data-n': n }) });
      make('circle', { r: 11 }, group);
      make('text', {}, group).textContent = '?';
      return group;
    }));
  }

  // tones: of the drawing, over its paint; null for none. grey: in neutral tones.
  tones(shapes, tones, grey) { drawTones(this.layers.tones, shapes, tones, grey); }

  colour(node, pot) {
    const painted = pot !== undefined && pot !== null && pot >= 0;
    // What is said to stay bare is no question any more.
    const left = pot !== undefined && pot !== null && pot < 0;
    node.classList.toggle('bare', !painted && !left);
    node.style.fill = node.style.stroke = painted ? `var(--pot-${pot})` : left ? 'transparent' : '';
    node.style.opacity = painted ? `var(--see-${pot}, 1)` : '';
  }

  patch(n) { return this.layers.patches.querySelector(`[data-n="${n}"]`); }

  // The tint in which drawings of a side are seen through the paper, '#rrggbb'.
  tint(side, colour) {
    this.svg.style.setProperty(`--${side}`, colour);
    const rows = [1, 3, 5].map((k) => parseInt(colour.slice(k, k + 2), 16) / 255)
      .map((v) => [0.2126 * (1 - v), 0.7152 * (1 - v), 0.0722 * (1 - v), 0, v].join(' '));
    this.tints[side].setAttribute('values', `${rows.join(' ')} 0 0 0 1 0`);
  }

  // Roughs of neighbours, their paper clear.
  onionRoughs(groups) {
    const { width, height } = this;
    this.layers.onion.replaceChildren(...groups.map(({ url, side, strength }) => make('image',
      { href: url, width, height, preserveAspectRatio: 'none', class: `rough ${side}`, opacity: strength })));
  }

  onion(groups) {
    this.layers.onion.replaceChildren(...groups.map(({ strokes, side, strength, matrix }) => {
      const group = make('g', { opacity: strength, ...(matrix ? { transform: `matrix(${matrix.join(' ')})` } : {}) });
      for (const s of strokes) make('path', { d: s.d, class: side }, group);
      return group;
    }));
  }
}

// Widths at which a rough is fetched; Infinity for its own.
const STEPS = [960, 1920];
// A mark at a place of the drawing that keeps its size on the screen.
export const spot = ([x, y], shape, fields, layer) => make(shape, fields, make('g', { class: 'spot', style: `--x: ${x}px; --y: ${y}px` }, layer));

export const roughStep = (width, zoom) => STEPS.find((step) => width * zoom * (window.devicePixelRatio || 1) <= step && step < width) ?? Infinity;
// without: a pass that is left out, because it is drawn here.
export function roughUrl(entry, line, step, without = '') {
  const version = `${without ? `without=${without}&` : ''}v=${line.rough.slice(0, 12)}`;
  if (step !== Infinity) return `/drawings/${entry.id}/view.webp?w=${step}&look=rough&${version}`;
  return drawnOn(line) ? `/drawings/${entry.id}/rough.png?${version}` : `/pictures/${line.rough}`;
}

// Whether anything was drawn or rubbed out on the rough here.
export const drawnOn = ({ sketch }) => sketch.passes.length > 0 || sketch.base !== 'full' || Object.keys(sketch.rubbed).length > 0;

function inkNodes(s, chosen, showDoubt) {
  const doubt = showDoubt && s.doubtful;
  const node = make('path', { ...(s.matrix ? { transform: `matrix(${s.matrix.join(' ')})` } : {}), d: s.d, 'data-id': s.id,
    class: `${chosen ? 'chosen' : ''} ${doubt ? 'doubtful' : ''} ${s.by === 'hand' ? 'by-hand' : ''}`.trim() });
  return doubt ? [node, make('path', { d: centreLine(s.points), class: 'doubt-mark' })] : [node];
}
