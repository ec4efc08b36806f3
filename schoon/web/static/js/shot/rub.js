// Rubbing out along the way of the pen, in the drawing on the table or in all that are chosen, as one undo.

import { notice } from '../api.js';
import { change } from '../edits/queue.js';
import { make } from './paper.js';
import { trailDrag } from './pen.js';

// what: the edit of the level and its own fields. settled: what has to have arrived before; after: what is done then.
export function rubDrag(app, at, reach, what, { settled = async () => {}, after = async () => {} } = {}) {
  const node = make('path', { class: 'rubbing', 'stroke-width': 2 * reach }, app.table.paper.layers['pen-layer']);
  const rub = async (path) => {
    const of = app.meant((d) => d === app.current).map((d) => d.id);
    await settled();
    try {
      await change('levels', app.level, what.do, { ...what, path, reach, of });
      await after();
      await app.sync.refresh();
      if (of.length > 1) notice(`Rubbed out in ${of.length} drawings; undo takes it back in all of them`);
    } catch (error) { notice(error.message, true); }
    node.remove();
  };
  return trailDrag(app, at, node, 2, false, (path) => app.sync.begin(rub(path)));
}
