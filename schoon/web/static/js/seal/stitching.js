// Stitches by hand: drawn, chosen, deleted; and leaks followed to where they run out.

import { notice, post } from '../api.js';
import { edit } from '../edits/queue.js';
import { CARD, shown } from '../keys.js';
import { thinned } from '../pure/geometry.js';
import { make } from '../shot/paper.js';

const FAR = 12;

export class StitchTool {
  constructor(app) { Object.assign(this, { app, id: 'stitch', pen: 'Draw a stitch' }); }

  down(event, from) {
    const { app } = this;
    const { paper, view } = app.table;
    const entry = app.current;
    const path = [from];
    const node = make('path', { class: 'pen', 'stroke-width': 2, style: 'stroke: var(--alarm)' }, paper.layers['pen-layer']);
    return {
      move(e) {
        path.push(view.toPaper(e.clientX, e.clientY));
        node.setAttribute('d', `M${path.map((p) => p.map((v) => v.toFixed(1)).join(',')).join(' ')}`);
      },
      async up() {
        const done = edit(entry, 'stitch', { points: thinned(path) });
        node.remove();
        try {
          await done;
          app.sync.changed(entry);
          app.table.draw();
        } catch (error) { notice(error.message, true); }
      },
      cancel() { node.remove(); },
    };
  }
}

export class ChooseStitchTool {
  constructor(app, stage) { Object.assign(this, { app, stage, id: 'choose', pen: 'Choose a stitch' }); }

  down(event) {
    const { app } = this;
    const node = document.elementFromPoint(event.clientX, event.clientY);
    this.stage.chosen = node?.closest?.('.stitches') ? node.dataset.id : null;
    app.table.draw();
    return null;
  }
}

// Takes the stitch under the pen away; the chosen one goes by the key alone.
export class UnstitchTool {
  constructor(app, stage) { Object.assign(this, { app, stage, id: 'delete', pen: 'Take a stitch away: press it' }); }

  down(event) {
    const node = document.elementFromPoint(event.clientX, event.clientY);
    if (node?.closest?.('.stitches')) this.stage.remove(node.dataset.id); else notice('There is no stitch under the pen');
    return null;
  }
}

// Shows where paint poured at the pen would run out; a drag says to where. The stitch can be kept or let be.
export class LeakTool {
  constructor(app) {
    Object.assign(this, { app, id: 'leak', found: null });
    this.pen = 'Find a leak: click inside the form that leaks, or drag to where it runs';
  }

  leave() { this.found = null; this.show(); }

  down(event, from) {
    const { view } = this.app.table;
    let to = null;
    return {
      move(e) { to = view.toPaper(e.clientX, e.clientY); },
      up: () => {
        const far = to && Math.hypot(to[0] - from[0], to[1] - from[1]) * view.zoom > FAR;
        this.trace(from, far ? to : null);
      },
      cancel() {},
    };
  }

  async trace(at, to) {
    const { app } = this;
    const entry = app.current;
    try {
      this.found = { ...(await post(`/api/drawings/${entry.id}/leak`, { at, to })), entry, kind: 'leak' };
      app.table.draw();
      const [a, b] = this.found.points;
      app.table.lookAt((a[0] + b[0]) / 2, (a[1] + b[1]) / 2, Math.max(1.5, app.table.view.zoom));
      app.tools.says(`it runs out here, ${this.found.width} px wide · ${shown(CARD.take)} shuts it, ${shown(CARD.other)} lets it be`);
    } catch (error) { this.found = null; app.table.draw(); notice(error.message); }
  }

  async keep(keep) {
    const { app, found } = this;
    this.found = null;
    if (keep) {
      try {
        await edit(found.entry, 'stitch', { points: found.points });
        app.sync.changed(found.entry);
      } catch (error) { notice(error.message, true); }
    }
    app.tools.status();
    app.table.draw();
  }

  show() {
    const { paper } = this.app.table;
    const here = this.found?.entry === this.app.current;
    if (!here && !this.seen) return;
    this.seen = here;
    paper.ghost(here ? [this.found] : []);
  }
}
