// A scribble over marks on the rough: this is a line, construction, hatching, a note, dirt.

import { shown } from '../keys.js';
import { make } from '../shot/paper.js';
import { trailDrag } from '../shot/pen.js';
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
    Object.assign(this, { app, said, id: 'say', kind: 'construction' });
  }

  get pen() { return `This is ${MARKS[this.kind]}: scribble over the marks; ${shown('shift+i')} for the next kind`; }

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
    const node = make('path', { class: `scribble mark-${kind}`, 'stroke-width': 2 * reach }, paper.layers['pen-layer']);
    return trailDrag(app, from, node, STEP, false, async (path) => {
      const answer = await change(app, { do: 'say', kind, path, reach }, entry);
      node.remove();
      if (answer) this.said();
    });
  }
}
