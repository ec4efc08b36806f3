// What others, jobs and the hand have changed: read anew, undone, done again; and the shot's time.

import { change, edits, get, notice, post } from '../api.js';
import * as drawings from './drawings.js';

const $ = (id) => document.getElementById(id);
const SOON = 700;

export class Sync {
  constructor(app) {
    this.app = app;
    this.soon = 0;
    // What undo takes: the last action on time after one in the sheet, on the levels after one there, else on this drawing.
    this.scope = 'drawings';
    $('undo').addEventListener('click', () => this.step('undo', 'drawings'));
    $('redo').addEventListener('click', () => this.step('redo', 'drawings'));
  }

  undoes(subjects) { this.scope = subjects; }

  async refresh() {
    const { app } = this;
    const { data } = app;
    let found;
    let before;
    try {
      do {
        before = edits();
        found = await get(`/api/shots/${data.shot.id}/run?level=${app.level}`);
      } while (before !== edits());
    } catch (error) { notice(error.message, true); return; }
    const here = this.takeRun(found.drawings);
    Object.assign(data, { spans: found.spans, sheet: found.sheet, notes: found.notes, depth: found.depth, framing: found.framing, meant: found.meant, labels: found.labels });
    Object.assign(data.shot, { frames: found.frames, fps: found.fps, numbering: found.numbering });
    for (const level of data.levels) Object.assign(level, found.levels.find((l) => l.id === level.id));
    for (const link of document.querySelectorAll('.track a')) {
      link.classList.toggle('done', found.progress.done[link.dataset.stage]);
      link.querySelector('.left').textContent = found.progress.left[link.dataset.stage];
    }
    app.tell('run');
    app.stage.refreshed();
    if (here) await app.table.draw(); else app.onion.show();
  }

  // The drawings of the run as they are now; whether the one on the table has changed, or is another one because it is gone.
  takeRun(fresh) {
    const { app } = this;
    const { revision } = app.current;
    app.data.run = fresh.map((drawing) => Object.assign(app.byId.get(drawing.id) ?? {}, drawing));
    app.byId = new Map(app.data.run.map((d) => [d.id, d]));
    app.chosen = new Set([...app.chosen].filter((id) => app.byId.has(id)));
    if (app.byId.get(app.current.id)) return app.current.revision !== revision;
    app.tell('leave', app.current);
    app.current = app.data.run.findLast((d) => parseInt(d.number, 10) <= parseInt(app.current.number, 10)) ?? app.data.run[0];
    return true;
  }

  // A drawing was changed by this hand.
  changed(entry) {
    this.undoes('drawings');
    $('saved').textContent = `saved ${new Date().toTimeString().slice(0, 5)}`;
    $('undo').disabled = false;
    $('redo').disabled = true;
    if (entry === this.app.current) $('paper').dataset.revision = entry.revision;
    clearTimeout(this.soon);
    this.soon = setTimeout(() => this.refresh(), SOON);
  }

  // what: undo or redo.
  async step(what, subjects = this.scope) {
    const { app } = this;
    app.stage.stepped();
    try {
      const found = await post(`/api/${subjects}/${subjects === 'drawings' ? app.current.id : app.data.shot.id}/${what}`);
      if (found.message) { notice(found.message); return; }
      const many = found.drawings?.length > 1 ? ` on ${found.drawings.length} drawings` : '';
      const pots = found.pots?.length ? `; back in the model: ${found.pots.join(', ')}` : '';
      notice(`${what === 'undo' ? 'Undone' : 'Done again'}: ${found.label || 'the last change'}${many}${pots}`);
      drawings.stepped([...(found.drawings ?? []), app.current.id]);
      // Pots, keys and levels that came back have to be known to the page.
      if (pots || found.kinds?.some((kind) => kind !== 'time')) setTimeout(() => window.location.reload(), 900);
      await this.refresh();
      await app.table.draw();
    } catch (error) { notice(error.message, true); }
  }

  async time(what, fields) {
    const { app } = this;
    try {
      const time = await change('times', app.data.shot.id, what, fields);
      this.undoes('times');
      if (time.again) await this.refresh(); else this.take(time);
    } catch (error) { notice(error.message, true); app.tell('time'); }
  }

  // tried: what it would be, which may name drawings that are not there yet.
  take({ frames, fps, levels, marks, notes, numbers, numbering, meant, labels }, tried = false) {
    const { app } = this;
    const { data } = app;
    Object.assign(data.shot, { frames, fps, numbering });
    Object.assign(data, levels[app.level], { notes, meant, labels });
    for (const level of data.levels) {
      Object.assign(level, levels[level.id]);
      for (const [id, drawing] of Object.entries(level.drawings)) if (numbers[id]) [drawing[0], drawing[1]] = [numbers[id], marks[id]];
    }
    if (!tried) for (const entry of data.run) Object.assign(entry, { kind: marks[entry.id], number: numbers[entry.id] });
    app.tell('time');
  }
}
