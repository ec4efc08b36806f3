// Line: clean proposals for the run, the hand's tools, and lines through the run.

import { fill, html } from '../dom.js';
import { notice } from '../api.js';
import { lineNow } from '../drawings.js';
import { make } from '../paper.js';
import { ChosenBar } from '../line/bar.js';
import { Chosen, chooseTools } from '../line/choose.js';
import { LineLedge } from '../line/ledge.js';
import { LayOver } from '../line/lay_over.js';
import { penTools } from '../line/pen.js';
import { pointTools } from '../line/points.js';

export function lineStage(app) {
  const hand = { steady: 2, snap: 12, reach: 60, part: '' };
  const chosen = new Chosen(app, () => { bar.show(); if (ledge.view === 'pass') ledge.show(); });
  const bar = new ChosenBar(app, chosen, hand);
  const ledge = new LineLedge(app, chosen);
  const layOver = new LayOver(app);
  app.layOver = layOver;
  const points = pointTools(app, hand);
  const tools = [...penTools(app, hand), ...chooseTools(app, chosen, hand), ...points, layOver.tool()];

  app.choosePart = (part) => {
    const closed = app.parts.closed(part);
    if (closed) { notice(`${part || 'Lines of no part'}: ${closed}; ${closed === 'locked' ? 'unlock' : 'show'} it to choose its lines`, true); return; }
    const strokes = (lineNow(app.current)?.strokes || []).filter((s) => s.part === part);
    app.useTool('choose');
    chosen.set(strokes.map((s) => s.id));
    hand.part = part;
    if (!strokes.length) notice(`There is no line of ${part || 'no part'} in this drawing`);
  };

  // A rectangle drawn on the paper, for comparing what lies in it.
  app.pickBox = (done) => {
    notice('Drag a rectangle on the paper');
    app.once = (event, from) => {
      const node = make('rect', { class: 'chosen-frame' }, app.paper.layers['pen-layer']);
      let area = null;
      return {
        move(e) {
          const to = app.view.toPaper(e.clientX, e.clientY);
          area = [Math.min(from[0], to[0]), Math.min(from[1], to[1]), Math.max(from[0], to[0]), Math.max(from[1], to[1])];
          for (const [name, v] of [['x', area[0]], ['y', area[1]], ['width', area[2] - area[0]], ['height', area[3] - area[1]]]) node.setAttribute(name, v);
        },
        up() { node.remove(); if (area) done(area); },
        cancel() { node.remove(); },
      };
    };
  };

  async function nextDoubt() {
    const doubtful = (entry) => (lineNow(entry)?.strokes || []).filter((s) => s.doubtful);
    const here = doubtful(app.current);
    const at = here.findIndex((s) => chosen.ids.has(s.id));
    let stroke = here[at + 1];
    if (!stroke) {
      const order = app.data.run;
      const k = order.indexOf(app.current);
      const found = [...order.slice(k + 1), ...order.slice(0, k + 1)].find((d) => d.doubtful && (d !== app.current || !here.length));
      if (!found && !here.length) { notice('No line is in doubt'); return; }
      if (found && found !== app.current) await app.go(found.id);
      [stroke] = doubtful(app.current);
    }
    if (!stroke) { notice('No other line is in doubt'); return; }
    app.useTool('choose');
    chosen.set([stroke.id]);
    const middle = 2 * Math.floor(stroke.points.length / 4);
    app.lookAt(stroke.points[middle], stroke.points[middle + 1], Math.max(1.2, app.view.zoom));
  }

  function slider(tray, words, min, max, step, name, ...of) {
    const label = document.createElement('label');
    label.dataset.of = of.join(' ');
    fill(label, html`<span>${words}</span><input type="range" min="${min}" max="${max}" step="${step}" value="${hand[name]}" aria-label="${words}">`);
    label.querySelector('input').addEventListener('input', (event) => { hand[name] = Number(event.target.value); });
    tray.append(label);
  }

  return {
    look: 'line',
    tools,
    hand,
    chosen,
    extra(tray) {
      slider(tray, 'steady hand', 0, 8, 0.5, 'steady', 'trace', 'redraw');
      slider(tray, 'ends snap within', 0, 40, 2, 'snap', 'trace');
      slider(tray, 'bend reach', 10, 200, 5, 'reach', 'bend');
    },
    keys: 'N next line in doubt · Y trace back · H fit to rough · E O sights · hold 1 2 3 to flip · A D step',
    get picked() { return chosen.ids; },
    help: [['G M I', 'join, mirror, smooth the chosen lines'], [', .', 'lighter, heavier'], ['P U J X', 'taper, copy, accept, delete'], ['Q', 'held on a handle: it moves alone'], ['N', 'next line in doubt'], ['Y H', 'trace back, fit to rough'], ['Esc', 'choose nothing']],
    key(event) {
      const key = event.key.toLowerCase();
      if (key === 'delete' || key === 'backspace') {
        if (app.tool()?.id === 'points') app.tool().remove(); else bar.remove();
        return true;
      }
      if (key === 'escape') { chosen.clear(); return true; }
      if (key === 'n') { nextDoubt(); return true; }
      return bar.key(key) || ledge.key(key);
    },
    drawn() { chosen.keepReal(); chosen.show(); app.tool()?.redrawn?.(); app.parts.show(); layOver.show(); },
    toolChanged() {
      // Only what the tool in hand can use.
      for (const label of document.querySelectorAll('.tray label')) label.hidden = !label.dataset.of.split(' ').includes(app.tool()?.id);
      chosen.frame();
    },
    viewChanged() { chosen.frame(); app.tool()?.redrawn?.(); },
    left() { chosen.clear(); app.paper.ghost([]); },
    ledge() { ledge.show(); },
  };
}
