// What the pen touches and how hard, and paths it leaves.

import { round } from '../pure/geometry.js';
import { steadied } from '../pure/hand.js';
import { make } from './paper.js';

const SPOTS = [[0, 0], [3, 0], [-3, 0], [0, 3], [0, -3], [5, 5], [-5, -5], [5, -5], [-5, 5]];

// The path of the stroke within a few screen pixels of a client point, or null.
export function strokeAt(clientX, clientY) {
  for (const [dx, dy] of SPOTS) {
    const node = document.elementFromPoint(clientX + dx, clientY + dy);
    if (node?.closest?.('.ink') && node.dataset.id) return node;
  }
  return null;
}

export function pressure(event) {
  // A mouse has no pressure: it draws at the middle of the range. A pen laid flat draws with its side, broader.
  if (event.pointerType === 'mouse' || !event.pressure) return 0.5;
  const lean = Math.hypot(event.tiltX || 0, event.tiltY || 0);
  return Math.min(1, event.pressure * (1 + 0.6 * Math.max(0, (lean - 35) / 50)));
}

// A drag that draws a path of [x, y] points into a node of the paper, `step` px of the screen apart; `done` gets them.
export function trailDrag(app, from, node, step, closed, done) {
  const { view } = app.table;
  const path = [from.map((v) => round(v))];
  const end = () => { if (closed) return 'Z'; return path.length < 2 ? 'h.1' : ''; };
  const show = () => node.setAttribute('d', `M${path.map((p) => p.join()).join(' ')}${end()}`);
  show();
  return {
    move(e) {
      const to = view.toPaper(e.clientX, e.clientY);
      const last = path[path.length - 1];
      if (Math.hypot(to[0] - last[0], to[1] - last[1]) * view.zoom < step) return;
      path.push(to.map((v) => round(v)));
      show();
    },
    up() { done(path); },
    cancel() { node.remove(); },
  };
}

// A drag of the pen that leaves a path; `done(path, clear)` gets [x, y, pressure] points. steady: how much of the
// hand's unsteadiness is taken out, px; it is seen so while it is drawn, so wide and in this colour.
export function penDrag(app, event, at, done, steady = 0, { width = app.data.rule.outline, colour = '' } = {}) {
  const { paper, view } = app.table;
  const path = [[...at, pressure(event)]];
  const node = make('path', { class: 'pen', 'stroke-width': width, ...(colour ? { style: `stroke: ${colour}` } : {}) }, paper.layers['pen-layer']);
  const show = () => node.setAttribute('d', `M${steadied(path, steady).map((p) => `${p[0].toFixed(1)},${p[1].toFixed(1)}`).join(' ')}`);
  show();
  return {
    move(e) {
      const all = e.getCoalescedEvents?.() || [];
      for (const step of all.length ? all : [e]) path.push([...view.toPaper(step.clientX, step.clientY), pressure(step)]);
      show();
    },
    // The path stays on the paper until the server's stroke takes its place.
    up() { done(path.map(([x, y, p]) => [round(x), round(y), round(p, 1000)]), () => node.remove()); },
    cancel() { node.remove(); },
  };
}
