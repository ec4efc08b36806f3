// One way to change the line: an operation goes to the server, its strokes come back and are shown.

import { notice } from '../api.js';
import { edit } from '../edits/queue.js';
import { adopt } from '../shot/drawings.js';

// op: { do: 'bend', … }. Resolves to the answer, or null if it was refused.
export async function change(app, op, entry = app.current) {
  const taken = (answer, before) => {
    adopt(entry, before, { line: (old) => merged(old, answer) });
    entry.touched += answer.strokes.filter((s) => s.by === 'hand').length;
    if (op.do === 'trace') entry.strokes += 1;
    else entry.strokes += answer.strokes.filter(({ id }) => !answer.old?.has(id)).length - answer.removed.length;
  };
  let answer;
  try {
    answer = await edit(entry, op.do, op, { adopt: taken });
  } catch (error) {
    notice(error.message, true);
    if (entry === app.current) app.table.draw();
    return null;
  }
  app.sync.changed(entry);
  // Somebody else's strokes are in the drawing too: it is read anew instead of guessed.
  if (answer.merged) {
    app.sync.refresh();
    if (entry === app.current) await app.table.draw();
    return answer;
  }
  if (answer.others.length) app.sync.refresh();
  return answer;
}

function merged(old, answer) {
  const changed = new Map(answer.strokes.map((s) => [s.id, s]));
  const gone = new Set(answer.removed);
  answer.old = new Set(old.strokes.map((s) => s.id));
  const strokes = old.strokes.filter((s) => !gone.has(s.id)).map((s) => changed.get(s.id) || s);
  strokes.push(...answer.strokes.filter((s) => !answer.old.has(s.id)));
  return { ...old, revision: answer.revision, strokes };
}
