// What others, jobs and the hand have changed: read anew, undone, done again; and the shot's time.

import { get, notice } from '../api.js';
import { answers, change, count, onChange, step, takeHeads, waiting } from '../edits/queue.js';
import * as drawings from './drawings.js';

const $ = (id) => document.getElementById(id);
const SOON = 700;

export class Sync {
  constructor(app) {
    this.app = app;
    this.soon = 0;
    // What undo takes: the last action on time after one in the sheet, on the levels after one there, else on this drawing. It
    // is so as soon as the action is done, not when it is answered.
    this.scope = 'drawings';
    this.begun = new Set();
    onChange((told) => this.done(told));
    $('undo').addEventListener('click', () => this.step('undo', 'drawings'));
    $('redo').addEventListener('click', () => this.step('redo', 'drawings'));
    takeHeads(app.data.shot.id, app.data.heads);
    onChange(({ answered, left }) => { if (answered && left) this.later(); });
    // A page that was asked for before the last edit was answered may be of before it, and nothing of it is left to be sent.
    if (Number(sessionStorage.schoonAnswered ?? 0) > performance.timeOrigin) this.later();
    onChange((told) => { if (told.answered) sessionStorage.schoonAnswered = Date.now(); });
    this.otherWindows();
  }

  // What another window of this browser has changed is read at once; what others have, when one comes back to this window.
  otherWindows() {
    const soon = () => { if (this.app.current) this.later(); };
    document.addEventListener('visibilitychange', () => { if (!document.hidden) soon(); });
    if (!window.BroadcastChannel) return;
    const windows = new BroadcastChannel('schoon-edits');
    windows.addEventListener('message', ({ data }) => { if (data === this.app.data.shot.id) soon(); });
    onChange(({ answered, answer }) => { if (answered && answer) windows.postMessage(this.app.data.shot.id); });
  }

  later() {
    clearTimeout(this.soon);
    this.soon = setTimeout(() => { this.soon = 0; this.refresh(); }, SOON);
  }

  undoes(subjects) { this.scope = subjects; }

  done({ subject, step: stepped, answered, answer, left }) {
    if (left || stepped) return;
    const [subjects] = subject.split('/');
    if (!answered) {
      this.scopeBefore = this.scope;
      this.undoes(subjects === 'levels' ? 'drawings' : subjects);
      if (this.scope === 'drawings') $('undo').disabled = false;
    } else if (!answer) {
      // It was refused: there is nothing of it to take back.
      this.undoes(this.scopeBefore);
    }
  }

  // Whether the page shows what the server has, as far as it can know.
  get atRest() { return !count() && !this.soon && !this.reading; }

  async refresh() {
    this.reading = (this.reading ?? 0) + 1;
    try { await this.read(); } finally { this.reading -= 1; }
  }

  async read() {
    const { app } = this;
    const { data } = app;
    const { level } = app;
    // What is on its way, or was answered meanwhile, is newer than what is read.
    const began = new Map();
    const about = (subject) => { began.set(subject, answers(subject)); };
    for (const subject of [`levels/${level}`, `times/${data.shot.id}`, `stacks/${data.shot.id}`, ...data.run.map((d) => `drawings/${d.id}`)]) about(subject);
    const newer = (subject) => waiting(subject).length > 0 || answers(subject) !== (began.get(subject) ?? answers(subject));
    const ticket = (this.ticket = (this.ticket ?? 0) + 1);
    let found;
    try { found = await get(`/api/shots/${data.shot.id}/run?level=${level}`); } catch (error) { notice(error.message, true); return; }
    // One that was asked later knows more.
    if (ticket < (this.taken ?? 0)) return;
    this.taken = ticket;
    const [time, stack] = [!newer(`times/${data.shot.id}`), !newer(`stacks/${data.shot.id}`)];
    const here = this.takeRun(found.drawings, (id) => newer(`drawings/${id}`) || newer(`levels/${level}`));
    takeHeads(data.shot.id, found.heads);
    data.speaks = found.speaks;
    this.takeColours(found);
    if (time) {
      Object.assign(data, { spans: found.spans, sheet: found.sheet, notes: found.notes, meant: found.meant, labels: found.labels });
      Object.assign(data.shot, { frames: found.frames, fps: found.fps, numbering: found.numbering });
    }
    this.levelsNow = found.levels.map((l) => l.id).join();
    if (stack) Object.assign(data, { depth: found.depth, framing: found.framing });
    if (time && stack) for (const one of data.levels) Object.assign(one, found.levels.find((l) => l.id === one.id) ?? {});
    if (!time || !stack) this.later();
    for (const link of document.querySelectorAll('.track a')) {
      link.classList.toggle('done', found.progress.done[link.dataset.stage]);
      link.querySelector('.left').textContent = found.progress.left[link.dataset.stage];
    }
    app.tell('run');
    app.stage.refreshed();
    if (here) await app.table.draw(); else app.onion.show();
  }

  // Pots and colour keys as they are now, whoever changed them.
  takeColours({ keys, pots }) {
    const { app } = this;
    const { data } = app;
    if (!pots || waiting(`models/${data.model}`).length || JSON.stringify([keys, pots]) === JSON.stringify([data.keys, data.pots])) return;
    const known = pots.map((p) => [p.id, p.name, p.part]).join();
    const same = known === data.pots.map((p) => [p.id, p.name, p.part]).join();
    Object.assign(data, { keys, pots });
    app.colours.use(data.key);
    if (!same) app.tell('pots');
  }

  // The drawings of the run as they are now; whether the one on the table has changed, or is another one because it is gone.
  // newer: whether the page knows more of one than was read.
  takeRun(fresh, newer = () => false) {
    const { app } = this;
    const { revision } = app.current;
    app.data.run = fresh.map((drawing) => {
      const own = app.byId.get(drawing.id);
      if (!own) return { ...drawing, level: app.level };
      return newer(own.id) ? own : Object.assign(own, drawing);
    });
    app.byId = new Map(app.data.run.map((d) => [d.id, d]));
    app.chosen = new Set([...app.chosen].filter((id) => app.byId.has(id)));
    if (app.byId.get(app.current.id)) return app.current.revision !== revision;
    app.tell('leave', app.current);
    app.current = app.data.run.findLast((d) => parseInt(d.number, 10) <= parseInt(app.current.number, 10)) ?? app.data.run[0];
    return true;
  }

  // A drawing was changed by this hand.
  changed(entry) {
    $('saved').textContent = `saved ${new Date().toTimeString().slice(0, 5)}`;
    $('undo').disabled = false;
    $('redo').disabled = true;
    if (entry === this.app.current) $('paper').dataset.revision = entry.revision;
    this.later();
  }

  // An act that asks the server, or a person, before it is done: undo waits for it, else it would take back what is older.
  async begin(act) {
    this.begun.add(act);
    try { return await act; } finally { this.begun.delete(act); }
  }

  // what: undo or redo.
  async step(what, named) {
    const { app } = this;
    // What lay on the table when it was pressed is meant, wherever the hand goes meanwhile.
    const { current } = app;
    if (this.begun.size) await Promise.allSettled([...this.begun]);
    const subjects = named ?? this.scope;
    app.stage.stepped();
    const entry = subjects === 'drawings' ? current : undefined;
    try {
      const found = await step(what, subjects, entry?.id ?? (subjects === 'models' ? app.data.model : app.data.shot.id), { entry, level: entry && app.level });
      if (found.message) {
        notice(found.message);
        if (found.moved) { await this.refresh(); await app.table.draw(); }
        return;
      }
      const many = found.drawings?.length > 1 ? ` on ${found.drawings.length} drawings` : '';
      const pots = found.pots?.length ? `; back in the model: ${found.pots.join(', ')}` : '';
      notice(`${what === 'undo' ? 'Undone' : 'Done again'}: ${found.label || 'the last change'}${many}${pots}`);
      // Seen at once where it was seen before; what else has changed with it follows.
      const known = drawings.stepped([...(found.drawings ?? []), app.current.id], entry, found.more);
      if (known && entry === app.current) await app.table.draw();
      const levels = app.data.levels.map((l) => l.id).join();
      await this.refresh();
      app.levels.stepped();
      // Levels that came or went bring a page of their own.
      if (levels !== this.levelsNow) setTimeout(() => window.location.reload(), 900);
      await app.table.draw();
    } catch (error) { notice(error.message, true); }
  }

  async time(what, fields) {
    const { app } = this;
    try {
      const time = await change('times', app.data.shot.id, what, fields);
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
