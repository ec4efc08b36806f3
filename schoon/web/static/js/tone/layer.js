// Tones on the paper: every patch that lies under one is drawn again in its colour, seen through the shapes.

import { make } from '../shot/paper.js';

// The order in which kinds lie over each other, as the server composes them.
export const KINDS = ['shade', 'deep', 'light', 'rim', 'blush', 'reflection'];
export const KIND_WORDS = { shade: 'Shade', deep: 'Deep shade', light: 'Light', rim: 'Rim', blush: 'Blush', reflection: 'Reflection' };

let made = 0;

// Tones that are seen in a colour key.
export function shownIn(tones, key) {
  return tones.filter((t) => (!t.key || t.key === key) && !t.without?.includes(key));
}

// layer: an SVG group. shapes: as the server gives the patches of a drawing. tones: its tones. grey: in neutral tones,
// whatever there is of paint.
export function drawTones(layer, shapes, tones, grey) {
  layer.replaceChildren();
  if (!shapes || !tones?.length) return;
  const defs = make('defs', {}, layer);
  const own = new Map(shapes.patches.map((p) => [p.n, p]));
  for (const kind of KINDS) {
    const masks = new Map();
    for (const [n, list] of seenIn(tones.filter((t) => t.kind === kind), shapes, grey)) {
      const name = list.map((t) => t.id).join();
      if (!masks.has(name)) masks.set(name, make('g', { mask: `url(#${mask(defs, list)})` }, layer));
      const pot = shapes.paint[n]?.pot;
      const node = make('path', { d: own.get(n).d, 'fill-rule': 'evenodd' }, masks.get(name));
      const colour = grey || pot === undefined || pot < 0 ? `var(--grey-${kind})` : `var(--tone-${kind}-${pot}, var(--pot-${pot}))`;
      node.style.fill = node.style.stroke = colour;
      if (!grey && pot >= 0) node.style.opacity = `var(--see-${pot}, 1)`;
    }
  }
}

// Patch -> the shapes that are seen in it, of those that have a colour there.
function seenIn(tones, shapes, grey) {
  const found = new Map();
  for (const tone of tones) {
    const within = tone.patches ?? shapes.patches.map((p) => p.n).filter((n) => n !== shapes.background);
    for (const n of within) {
      const painted = shapes.paint[n]?.pot >= 0;
      if (n === shapes.background && !painted) continue;
      if (!painted && !grey && Object.keys(shapes.paint).length) continue;
      if (!found.has(n)) found.set(n, []);
      found.get(n).push(tone);
    }
  }
  for (const n of found.keys()) if (!shapes.patches.some((p) => p.n === n)) found.delete(n);
  return found;
}

function mask(defs, list) {
  const id = `tone-${++made}`;
  const node = make('mask', { id }, defs);
  for (const tone of list) {
    const shape = make('path', { d: tone.d, 'fill-rule': 'evenodd', fill: tone.takes ? '#000' : '#fff' }, node);
    if (tone.soft) shape.setAttribute('filter', `url(#${blur(defs, tone.soft)})`);
  }
  return id;
}

function blur(defs, soft) {
  const id = `soft-${++made}`;
  const filter = make('filter', { id, x: '-50%', y: '-50%', width: '200%', height: '200%' }, defs);
  make('feGaussianBlur', { stdDeviation: soft / 2 }, filter);
  return id;
}
