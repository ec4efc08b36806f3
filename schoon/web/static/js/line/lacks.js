// What the pinned drawing has that this one lacks, by parts and small forms, so that nothing is forgotten half round the figure.

import { fill, html } from '../dom.js';
import * as drawings from '../shot/drawings.js';

// A closed line smaller than this share of the figure is a small form: an eye, a button.
const SMALL = 0.12;
const CLOSED = 8;

const ends = ({ points: p }) => Math.hypot(p[0] - p[p.length - 2], p[1] - p[p.length - 1]);

function extent(points) {
  const xs = points.filter((_, k) => k % 2 === 0);
  const ys = points.filter((_, k) => k % 2 === 1);
  return Math.max(Math.max(...xs) - Math.min(...xs), Math.max(...ys) - Math.min(...ys));
}

// part -> [lines, small forms]
export function counted(strokes) {
  const size = strokes.length ? extent(strokes.flatMap((s) => s.points)) : 1;
  const counts = new Map();
  for (const s of strokes) {
    const own = counts.get(s.part) ?? [0, 0];
    own[0] += 1;
    if (ends(s) < CLOSED && extent(s.points) < SMALL * size) own[1] += 1;
    counts.set(s.part, own);
  }
  return counts;
}

export class Lacks {
  constructor(app) {
    this.app = app;
    this.box = Object.assign(document.createElement('p'), { className: 'lacks', hidden: true });
    this.box.setAttribute('aria-live', 'polite');
    document.getElementById('table').append(this.box);
  }

  async show() {
    const { app } = this;
    const { pinned } = app.onion;
    const here = app.current;
    if (!pinned || pinned === here) { this.box.hidden = true; return; }
    const [there, own] = await Promise.all([drawings.line(pinned), drawings.line(here)]);
    if (here !== app.current || pinned !== app.onion.pinned) return;
    const now = counted(own.strokes);
    const left = [...counted(there.strokes)].flatMap(([part, [lines, small]]) => {
      const [l, s] = now.get(part) ?? [0, 0];
      const name = part || 'no part';
      if (s < small) return [`${name}: ${small - s} small form${small - s > 1 ? 's' : ''}`];
      return l === 0 || l < 0.6 * lines ? [`${name}: ${l} of ${lines} lines`] : [];
    });
    this.box.hidden = false;
    fill(this.box, left.length ? html`<b>${pinned.number} has more:</b> ${left.join(' · ')}`
      : html`<b>All of ${pinned.number}</b> is here, by parts and small forms`);
  }
}
