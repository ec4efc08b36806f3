// Forms that are open to the outside, seen where one paints: the passage is marked, and a press on it shuts it.

import { get, notice } from '../api.js';
import { edit } from '../edits/queue.js';
import { make } from '../shot/paper.js';

export class OpenForms {
  constructor(app) {
    this.app = app;
    // What was read of each drawing at a revision.
    this.known = new Map();
  }

  // Looked for in the whole run, one drawing after the other, while the hand is at work.
  async count() {
    const { app } = this;
    for (const entry of [...app.data.run]) {
      if (!entry.strokes || !entry.open_gaps || this.known.get(this.name(entry))) continue;
      const name = this.name(entry);
      try {
        const { open } = await get(`/api/drawings/${entry.id}/open`);
        if (this.name(entry) !== name) continue;
        this.known.set(name, open);
        if (entry.open_forms !== open.length) { entry.open_forms = open.length; app.tell('run'); }
      } catch (error) { notice(error.message, true); return; }
      if (app.stage.name !== 'paint') return;
    }
    if (app.current) this.show();
  }

  name(entry) { return `${entry.id}@${entry.revision}`; }

  async show() {
    const { app } = this;
    const entry = app.current;
    const layer = app.table.paper.layers.passages;
    if (!entry.strokes || !entry.open_gaps) { layer.replaceChildren(); return; }
    const name = this.name(entry);
    if (!this.known.has(name)) {
      this.known.set(name, null);
      try { this.known.set(name, (await get(`/api/drawings/${entry.id}/open`)).open); } catch (error) { this.known.delete(name);
        notice(error.message, true); return; }
    }
    if (app.current !== entry || this.name(entry) !== name || app.stage.name !== 'paint') return;
    const found = this.known.get(name);
    if (!found) return;
    if (entry.open_forms !== found.length) { entry.open_forms = found.length; app.tell('run'); }
    this.draw(entry, found);
  }

  draw(entry, found) {
    const { paper } = this.app.table;
    const seen = new Map(found.flatMap((form) => form.stitches.map((stitch) => [stitch.id, stitch])));
    paper.layers.passages.replaceChildren(...[...seen.values()].flatMap(({ id, d }) => {
      const mark = make('path', { d, class: 'passage' });
      const reach = make('path', { d, class: 'reach', 'data-passage': id });
      make('title', {}, reach).textContent = 'A form is open to the outside here; press to shut it';
      reach.addEventListener('pointerdown', (event) => { event.stopPropagation(); this.shut(entry, id); });
      return [mark, reach];
    }));
  }

  async shut(entry, stitch) {
    const { app } = this;
    try {
      await edit(entry, 'judge', { stitch, state: 'taken' });
      entry.open_gaps = Math.max(0, entry.open_gaps - 1);
      app.sync.changed(entry);
      if (entry === app.current) await app.table.draw();
    } catch (error) { notice(error.message, true); }
  }

  // The next drawing with an open form, and the passage in the middle of the table.
  async next() {
    const { app } = this;
    const here = this.known.get(this.name(app.current))?.length ? app.current : await app.goToNext((d) => d.open_forms);
    if (!here) { notice('No form is open to the outside'); return; }
    const name = this.name(here);
    if (!this.known.get(name)) await this.show();
    const [form] = this.known.get(name) ?? [];
    if (!form) return;
    app.table.lookAt(form.at[0], form.at[1], Math.max(0.6, app.table.view.zoom));
    notice('The form is open where its line is dashed; press the mark to shut it, or stitch it');
  }
}
