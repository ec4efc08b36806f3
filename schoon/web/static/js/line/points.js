// Points and handles of one stroke, and the tools that act where the pen touches a line: trim, cut, weigh.

import { heldKeys } from '../keyboard.js';
import { HELD } from '../keys.js';
import { notice } from '../api.js';
import { lineNow } from '../drawings.js';
import { centreLine, round, strokeAt } from '../ink.js';
import { make } from '../paper.js';
import { change } from './change.js';

export function pointTools(app, hand) {
  let shown = null;
  let active = null;

  const strokeNow = () => lineNow(app.current)?.strokes.find((s) => s.id === shown);

  function show(points = strokeNow()?.points) {
    const layer = app.paper.layers.frame;
    layer.replaceChildren();
    if (!points || app.tool()?.id !== 'points') return;
    const size = 8 / app.view.zoom;
    make('path', { d: centreLine(points), class: 'spine' }, layer);
    for (let k = 0; k < points.length; k += 2) {
      const index = k / 2;
      const [x, y] = [points[k], points[k + 1]];
      if (index % 3 === 0) {
        make('rect', { x: x - size / 2, y: y - size / 2, width: size, height: size, class: `knot ${index === active ? 'active' : ''}`, 'data-index': index }, layer);
      } else {
        const knot = index % 3 === 1 ? index - 1 : index + 1;
        make('path', { d: `M${x} ${y}L${points[2 * knot]} ${points[2 * knot + 1]}`, class: 'handle-line' }, layer);
        make('circle', { cx: x, cy: y, r: size * 0.45, class: 'handle', 'data-index': index }, layer);
      }
    }
  }

  function moved({ points, closed }, index, to, broken) {
    const p = [...points];
    const n = p.length / 2;
    const at = (k) => [p[2 * k], p[2 * k + 1]];
    const put = (k, [x, y]) => { p[2 * k] = round(x); p[2 * k + 1] = round(y); };
    const [dx, dy] = [to[0] - p[2 * index], to[1] - p[2 * index + 1]];
    if (index % 3 === 0) {
      const knots = closed && (index === 0 || index === n - 1) ? [0, n - 1] : [index];
      for (const k of knots) for (const m of [k - 1, k, k + 1]) if (m >= 0 && m < n) put(m, [at(m)[0] + dx, at(m)[1] + dy]);
      return p;
    }
    const knot = index % 3 === 1 ? index - 1 : index + 1;
    let other = index % 3 === 1 ? knot - 1 : knot + 1;
    if (closed && knot === 0) other = n - 2;
    if (closed && knot === n - 1) other = 1;
    const c = at(knot);
    const before = other >= 0 && other < n ? Math.atan2(c[1] - at(other)[1], c[0] - at(other)[0]) : 0;
    const mine = Math.atan2(at(index)[1] - c[1], at(index)[0] - c[0]);
    const smooth = other >= 0 && other < n && Math.abs(Math.sin(before - mine)) < 0.12 && Math.cos(before - mine) > 0;
    put(index, to);
    if (smooth && !broken) {
      // A smooth point stays smooth: the opposite handle turns along and keeps its length.
      const length = Math.hypot(at(other)[0] - c[0], at(other)[1] - c[1]);
      const angle = Math.atan2(to[1] - c[1], to[0] - c[0]);
      put(other, [c[0] - length * Math.cos(angle), c[1] - length * Math.sin(angle)]);
    }
    return p;
  }

  const pairs = (flat) => Array.from({ length: flat.length / 2 }, (_, k) => [flat[2 * k], flat[2 * k + 1]]);

  const points = {
    id: 'points', label: 'Points', key: 'q', pen: 'Points: click a line; drag its points; double-click adds one, Delete takes the marked one away; with Q held a handle moves alone',
    enter() { show(); },
    leave() { shown = null; active = null; app.paper.layers.frame.replaceChildren(); },
    redrawn() { show(); },
    down(event) {
      const index = event.target.dataset?.index;
      const stroke = strokeNow();
      if (index !== undefined && stroke) {
        active = Number(index);
        show();
        let now = stroke.points;
        return {
          move(e) { now = moved(stroke, active, app.view.toPaper(e.clientX, e.clientY), heldKeys.has(HELD.alone)); show(now); },
          async up() {
            if (now === stroke.points) return;
            await change(app, { do: 'points', id: stroke.id, points: pairs(now) });
            await app.draw();
          },
          cancel() { show(); },
        };
      }
      const hit = strokeAt(event.clientX, event.clientY);
      if (!hit) { shown = null; active = null; show(); return null; }
      shown = hit.dataset.id;
      active = null;
      show();
      return null;
    },
    double(event, from) {
      if (!shown || strokeAt(event.clientX, event.clientY)?.dataset.id !== shown) return;
      change(app, { do: 'knot', id: shown, at: from.map((v) => round(v)) }).then(() => app.draw());
    },
    remove() {
      const stroke = strokeNow();
      if (!stroke || active === null || active % 3) { notice('Click one of the line’s points first, then take it away'); return; }
      change(app, { do: 'knot', id: shown, at: [stroke.points[2 * active], stroke.points[2 * active + 1]], remove: true }).then(() => { active = null; app.draw(); });
    },
  };

  function onLine(what, words) {
    return (event, from) => {
      const hit = strokeAt(event.clientX, event.clientY);
      if (!hit) { notice(words); return null; }
      const part = lineNow(app.current)?.strokes.find((s) => s.id === hit.dataset.id)?.part || '';
      if (app.parts.closed(part)) { notice(`The part ${part} is ${app.parts.closed(part)}; open it in the dock first`, true); return null; }
      return { move() {}, cancel() {}, up() { change(app, { do: what, id: hit.dataset.id, at: from.map((v) => round(v)) }).then(() => app.draw()); } };
    };
  }

  const trim = { id: 'trim', label: 'Trim', key: 't', pen: 'Trim: click the stretch to take away, up to the next crossings', down: onLine('trim', 'Click the stretch of a line that should go') };
  const sever = { id: 'cut', label: 'Cut', key: 's', pen: 'Cut: click where a line is to be two', down: onLine('cut', 'Click a line where it should be cut') };

  const weigh = {
    id: 'weigh', label: 'Weigh', key: 'w', pen: 'Weigh: drag along a line to make that stretch heavier; with Shift lighter',
    down(event, from) {
      const hit = strokeAt(event.clientX, event.clientY);
      if (!hit) { notice('Start on the line to weigh'); return null; }
      let to = from;
      const lighter = event.shiftKey;
      const node = make('path', { class: 'crossing' }, app.paper.layers['pen-layer']);
      const path = [from];
      return {
        move(e) { to = app.view.toPaper(e.clientX, e.clientY); path.push(to); node.setAttribute('d', `M${path.map((p) => p.join(',')).join(' ')}`); },
        up() {
          node.remove();
          const long = Math.hypot(to[0] - from[0], to[1] - from[1]) * app.view.zoom > 6;
          const stretch = long ? { first: from.map((v) => round(v)), last: to.map((v) => round(v)) } : {};
          change(app, { do: 'weigh', ids: [hit.dataset.id], factor: lighter ? 0.8 : 1.25, ...stretch }).then(() => app.draw());
        },
        cancel() { node.remove(); },
      };
    },
  };
  return [points, trim, sever, weigh];
}
