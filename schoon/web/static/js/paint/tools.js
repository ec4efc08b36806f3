// Tools of paint: pour and lift off, a ring, a patch through the whole run, the sampler.

import { notice } from '../api.js';
import { edit } from '../edits/queue.js';
import { paintNow, paintSeen } from '../shot/drawings.js';
import { round } from '../pure/geometry.js';
import { penDrag } from '../shot/pen.js';

// The patch under the pen, the outside on bare paper, 0 beside it.
export function patchUnder(app, event, at) {
  const node = document.elementsFromPoint(event.clientX, event.clientY).find((n) => n.dataset?.n && n.closest('.patches, .doubts'));
  if (node) return Number(node.dataset.n);
  const [w, h] = app.table.view.size;
  const inside = at[0] >= 0 && at[1] >= 0 && at[0] < w && at[1] < h;
  return (inside && paintSeen(app.current)?.background) || 0;
}

// Pours the pot of the stage, or lifts paint off, in every patch that is dragged across.
export class BrushTool {
  constructor(app, stage, lift, fields) { Object.assign(this, { app, stage, lift }, fields); }

  get pen() { return this.lift ? 'Lift paint off' : `Pour ${this.stage.potName.toLowerCase()}`; }

  down(event) {
    const { app, stage, lift } = this;
    const { paper, view } = app.table;
    const entry = app.current;
    const shapes = stage.ready(lift);
    if (!shapes) return null;
    // Patch -> where the pen was in it: while what is shown of the patches may be old, that place is what was meant.
    const hit = new Map();
    const sure = paintNow(entry) === shapes && !app.table.waitingOf(entry).some((op) => op.do !== 'pour');
    const value = lift ? null : stage.pot;
    let first = null;
    let outside = false;
    const take = (e) => {
      const place = view.toPaper(e.clientX, e.clientY);
      const n = patchUnder(app, e, place);
      first ??= n;
      if (!n || hit.has(n)) return;
      // The outside is no patch like others: dragging never floods it, and a click only with Shift.
      if (n === shapes.background && !shapes.paint[n]) {
        if (hit.size || n !== first) return;
        outside ||= e.shiftKey;
        // While what is seen of the patches may be old, the server knows better.
        if (sure && !lift && !outside) {
          if (e === event) notice('This is the outside of all forms. A form that should be here is open where the mark stands; Shift pours the outside');
          return;
        }
      }
      if (stage.closed(shapes.paint[n]?.pot)) return;
      hit.set(n, place.map((v) => round(v)));
      const node = paper.patch(n);
      if (node) paper.colour(node, value);
    };
    const started = performance.now();
    take(event);
    requestAnimationFrame(() => performance.measure('pour seen', { start: started }));
    return {
      move: take,
      async up() {
        const points = [...hit].map(([n, place]) => (sure ? shapes.patches.find((p) => p.n === n)?.at ?? place : place));
        if (points.length) await stage.send(entry, 'pour', { points, pot: value, ...(outside ? { outside } : {}) });
      },
      cancel() { app.table.draw(); },
    };
  }
}

export class RingTool {
  constructor(app, stage) { Object.assign(this, { app, stage, id: 'ring' }); }

  get pen() { return `Draw a ring: ${this.stage.potName.toLowerCase()} into everything unpainted in it`; }

  down(event, at) {
    const { app, stage } = this;
    const entry = app.current;
    if (!stage.ready()) return null;
    return penDrag(app, event, at, async (path, clear) => {
      if (path.length > 2) {
        const answer = await stage.send(entry, 'pour-within', { ring: path.map(([x, y]) => [x, y]), pot: stage.pot });
        if (answer?.patches) notice(`${stage.potName} in ${answer.patches} patch${answer.patches === 1 ? '' : 'es'}`);
      }
      clear();
    });
  }
}

// A form without a line: drawn round, filled at once. With Shift its edge is inked.
export class CutOutTool {
  constructor(app, stage) { Object.assign(this, { app, stage, id: 'cut-out' }); }

  get pen() { return `Draw a form of ${this.stage.potName.toLowerCase()}; hold Shift to ink its edge`; }

  down(event, at) {
    const { app, stage } = this;
    const entry = app.current;
    if (stage.pot === null) { notice('Choose a pot in the dock first'); return null; }
    const inked = event.shiftKey;
    return penDrag(app, event, at, async (path, clear) => {
      try {
        if (path.length > 2) {
          await edit(entry, 'cut-out', { path, pot: stage.pot, inked });
          app.sync.changed(entry);
          await app.table.draw();
        }
      } catch (error) { notice(error.message, true); }
      clear();
    });
  }
}

// A form laid with a broad pen, without a line: it stays in what it began on, or is free.
export class BroadTool {
  constructor(app, stage) { Object.assign(this, { app, stage, id: 'broad', width: 40, within: 'patch' }); }

  get pen() { return `Lay a form of ${this.stage.potName.toLowerCase()}${{ patch: ', in the form it begins on', pot: ', on the pot it begins on',
    part: ', on the part it begins on', free: '' }[this.within]}`; }

  down(event, at) {
    const { app, stage } = this;
    const entry = app.current;
    if (stage.pot === null) { notice('Choose a pot in the dock first'); return null; }
    return penDrag(app, event, at, async (path, clear) => {
      const done = edit(entry, 'broad', { path, pot: stage.pot, width: this.width, within: this.within });
      clear();
      try {
        await done;
        app.sync.changed(entry);
      } catch (error) { notice(error.message, true); } finally { if (app.current === entry) await app.table.draw(); }
    }, 2, { width: this.width, colour: `var(--pot-${stage.pot})` });
  }
}

// Says that a patch belongs to another part than its pot does. While it is in the hand the parts are told apart by tints.
export class PartTool {
  constructor(app, stage) { Object.assign(this, { app, stage, id: 'part', part: '' }); }

  get pen() { return this.part ? `Make patches ${this.part}` : 'Give patches the part of their pot'; }

  names() { return [...new Set(this.app.data.pots.map((p) => p.part).filter(Boolean))]; }

  // The part a patch belongs to, as it carries paint.
  partOf(paint) { return paint?.part ?? this.app.data.pots.find((p) => p.id === paint?.pot)?.part ?? ''; }

  down(event) {
    const { app, stage } = this;
    const entry = app.current;
    const shapes = stage.ready(true);
    if (!shapes) return null;
    const hit = new Set();
    const take = (e) => {
      const n = patchUnder(app, e, app.table.view.toPaper(e.clientX, e.clientY));
      if (n && n !== shapes.background) hit.add(n);
    };
    take(event);
    return {
      move: take,
      async up() {
        const points = shapes.patches.filter((p) => hit.has(p.n)).map((p) => p.at);
        if (points.length) await stage.send(entry, 'belong', { points, part: stage.part.part || null });
      },
      cancel() { app.table.draw(); },
    };
  }
}

export class WholeRunTool {
  constructor(app, stage) { Object.assign(this, { app, stage, id: 'whole-run' }); }

  get pen() { return `Pour ${this.stage.potName.toLowerCase()} into this patch in all drawings`; }

  down(event, at) {
    const { app, stage } = this;
    const shapes = stage.ready();
    const n = shapes && patchUnder(app, event, at);
    if (!n) return null;
    if (n === shapes.background) { notice('The outside has no track; choose a patch of the figure'); return null; }
    if (stage.closed(shapes.paint[n]?.pot)) return null;
    notice(`Following this patch through ${app.data.run.length} drawings; what a hand painted otherwise${stage.alsoStay}, and it can be undone as one`);
    const where = shapes.patches.find((p) => p.n === n).at;
    app.jobs.start(`/api/levels/${app.level}/jobs`, { kind: 'track', source: app.current.id, at: where, pot: stage.pot, keep: stage.lockedPots });
    return null;
  }
}

export class SampleTool {
  constructor(app, stage) {
    Object.assign(this, { app, stage, id: 'sample', pen: 'Sample a pot from the paper or from the sheet picture' });
  }

  sampled(pot) { this.stage.selectPot(pot, true); }

  down(event, at) {
    const found = paintNow(this.app.current)?.paint[patchUnder(this.app, event, at)]?.pot;
    if (found === undefined || found < 0) notice('There is no paint here to sample');
    else this.sampled(found);
    return null;
  }
}
