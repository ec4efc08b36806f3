// The pen: tracing a new stroke, and redrawing a stretch of one that is there.

import { notice } from '../api.js';
import { lineNow } from '../drawings.js';
import { pressure, round } from '../ink.js';
import { make } from '../paper.js';
import { change } from './change.js';

const newId = () => Array.from(crypto.getRandomValues(new Uint8Array(5)), (b) => b.toString(16).padStart(2, '0')).join('');

// A drag of the pen that leaves a path; `done(path)` gets [x, y, pressure] points.
export function penDrag(app, event, at, done) {
  const path = [[...at, pressure(event)]];
  const width = app.data.rule.outline;
  const node = make('path', { class: 'pen', 'stroke-width': width }, app.paper.layers['pen-layer']);
  const show = () => node.setAttribute('d', `M${path.map((p) => `${p[0].toFixed(1)},${p[1].toFixed(1)}`).join(' ')}`);
  show();
  return {
    move(e) {
      const all = e.getCoalescedEvents?.() || [];
      for (const step of all.length ? all : [e]) path.push([...app.view.toPaper(step.clientX, step.clientY), pressure(step)]);
      show();
    },
    // The path stays on the paper until the server's stroke takes its place.
    up() { done(path.map(([x, y, p]) => [round(x), round(y), round(p, 1000)]), () => node.remove()); },
    cancel() { node.remove(); },
  };
}

export function penTools(app, hand) {
  function ready() {
    if (!lineNow(app.current)) { notice('The drawing is still being read; wait a moment'); return false; }
    const closed = app.parts.closed(hand.part);
    if (closed) { notice(`The part ${hand.part} is ${closed}; ${closed === 'locked' ? 'unlock' : 'show'} it in the dock to draw on it`, true); return false; }
    return true;
  }

  const trace = {
    id: 'trace', label: 'Trace', key: 'f', pen: 'Trace',
    down(event, at) {
      if (!ready()) return null;
      const entry = app.current;
      return penDrag(app, event, at, async (path, clear) => {
        const started = performance.now();
        const snap = hand.snap / app.view.zoom;
        const answer = await change(app, { do: 'trace', id: newId(), path, width: app.data.rule.outline, steady: hand.steady, snap: Math.min(100, snap), part: hand.part }, entry);
        if (answer && !answer.merged && app.current === entry) app.paper.addInk(answer.strokes);
        clear();
        performance.measure('trace', { start: started });
      });
    },
  };

  const redraw = {
    id: 'redraw', label: 'Redraw', key: 'v', pen: 'Redraw a stretch: begin and end on its line',
    down(event, at) {
      if (!ready()) return null;
      const entry = app.current;
      return penDrag(app, event, at, async (path, clear) => {
        await change(app, { do: 'redraw', path, steady: hand.steady, reach: Math.min(400, 18 / app.view.zoom + 4), locked: app.parts.notOpen() }, entry);
        clear();
        if (app.current === entry) app.draw();
      });
    },
  };
  return [trace, redraw];
}
