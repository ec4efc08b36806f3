// What of a drawing's edits that wait for their answer can be seen already. Edits are { do, … } in the order they were made.

import { multiply } from './geometry.js';

const SAME = [1, 0, 0, 1, 0, 0];

// Those that count: what was taken back on the way is not seen.
export function standing(edits) {
  const [done, undone] = [[], []];
  for (const edit of edits) {
    if (edit.do === 'undo') { if (done.length) undone.push(done.pop()); } else if (edit.do === 'redo') { if (undone.length) done.push(undone.pop());
      } else { done.push(edit); undone.length = 0; }
  }
  return done;
}

// Lines that are drawn and not there yet: { id, path, width, kind }, path in px of the drawing.
export function drawnPaths(edits) {
  return standing(edits).flatMap((edit) => {
    switch (edit.do) {
      case 'trace': return [{ id: edit.id, path: edit.path, width: edit.width, steady: edit.steady, kind: 'pen' }];
      case 'redraw': return [{ path: edit.path, steady: edit.steady, kind: 'pen' }];
      case 'stitch': return [{ path: edit.points, kind: 'stitching' }];
      case 'cut-out': case 'broad': return [{ path: edit.path, width: edit.width, pot: edit.pot, kind: edit.do }];
      case 'rub-ink': return [{ path: edit.path, width: 2 * edit.reach, kind: 'rubbing' }];
      default: return [];
    }
  });
}

// Strokes as they will be: without those that are deleted, with `matrix` where one is moved.
export function changedStrokes(strokes, edits) {
  const [gone, moved] = [new Set(), new Map()];
  for (const edit of standing(edits)) {
    if (edit.do === 'delete') for (const id of edit.ids) gone.add(id);
    if (edit.do === 'place') {
      const [a, c, e, b, d, f] = edit.matrix;
      for (const id of edit.ids) moved.set(id, multiply([a, b, c, d, e, f], moved.get(id) ?? SAME));
    }
  }
  if (!gone.size && !moved.size) return strokes;
  return strokes.filter((s) => !gone.has(s.id)).map((s) => (moved.has(s.id) ? { ...s, matrix: moved.get(s.id) } : s));
}

// Paint as it will be: patch -> { pot } over what is known, null for none. patches: { n, at }; inside(n, at): whether a place
// lies in a patch whose own place is another one by now.
export function pouredPaint(patches, edits, inside) {
  const found = new Map();
  for (const edit of standing(edits)) {
    if (edit.do !== 'pour') continue;
    for (const at of edit.points) {
      const patch = patches.find((p) => p.at[0] === at[0] && p.at[1] === at[1]) ?? patches.find((p) => inside(p.n, at));
      if (patch) found.set(patch.n, edit.pot === null ? null : { pot: edit.pot, doubt: 0, by: 'hand', unsure: false });
    }
  }
  return found;
}
