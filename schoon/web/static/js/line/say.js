// A scribble over marks on the rough: this is a line, construction, hatching, a note, dirt.

import { make } from '../shot/paper.js';
import { round } from '../pure/geometry.js';
import { change } from './change.js';

// Kinds of marks in the order in which the key turns through them.
export const MARKS = { line: 'line', construction: 'construction', hatching: 'hatching', note: 'a note', dirt: 'dirt or edge' };
// Half the width of the scribble, px of the screen.
const BROAD = 9;
// Px of the screen between two points of the path.
const STEP = 3;

export class SayTool {
  // said: called when something was said of the drawing.
  constructor(app, said) {
    Object.assign(this, { app, said, id: 'say', label: 'This is', key: 'r', kind: 'construction' });
  }

  get pen() { return `This is ${MARKS[this.kind]}: scribble over the marks; R for the next kind`; }

  enter() { this.show(); }

  // Its key, pressed again.
  again() {
    const kinds = Object.keys(MARKS);
    this.use(kinds[(kinds.indexOf(this.kind) + 1) % kinds.length]);
  }

  use(kind) {
    this.kind = kind;
    this.show();
    this.app.tools.status();
  }

  show() {
    const select = document.getElementById('say-kind');
    if (select) select.value = this.kind;
  }

  down(event, from) {
    const { app, kind } = this;
    const { paper, view } = app.table;
    const entry = app.current;
    const reach = Math.min(200, BROAD / view.zoom);
    const path = [from];
    const node = make('path', { class: `scribble mark-${kind}`, 'stroke-width': 2 * reach }, paper.layers['pen-layer']);
    const show = () => node.setAttribute('d', `M${path.map((p) => `${round(p[0])},${round(p[1])}`).join(' ')}${path.length < 2 ? 'h.1' : ''}`);
    show();
    return {
      move(e) {
        const to = view.toPaper(e.clientX, e.clientY);
        const last = path[path.length - 1];
        if (Math.hypot(to[0] - last[0], to[1] - last[1]) * view.zoom < STEP) return;
        path.push(to);
        show();
      },
      up: async () => {
        const answer = await change(app, { do: 'say', kind, path: path.map((p) => p.map((v) => round(v))), reach }, entry);
        node.remove();
        if (answer) this.said();
      },
      cancel() { node.remove(); },
    };
  }
}
