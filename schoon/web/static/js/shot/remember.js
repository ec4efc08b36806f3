// Where one was in a shot, kept in this browser for each person: the drawing, those that are chosen, the view, and of each
// stop its tool, its pot and the view of its ledge.

import { person } from '../keys.js';

const SOON = 400;

export class Remember {
  constructor(app) {
    this.app = app;
    this.store = `schoon-at-${app.data.shot.id}-${app.level}-${person()}`;
    this.read = {};
    try { this.read = JSON.parse(localStorage[this.store] ?? '{}') ?? {}; } catch { /* a damaged note is forgotten */ }
    for (const what of ['run', 'stop', 'leave', 'drawn']) app.on(what, () => this.soon());
    window.addEventListener('pagehide', () => this.keep());
    document.addEventListener('visibilitychange', () => { if (document.hidden) this.keep(); });
  }

  soon() {
    clearTimeout(this.timer);
    this.timer = setTimeout(() => this.keep(), SOON);
  }

  keep() {
    const { app } = this;
    if (!app.current || !this.back) return;
    const { zoom, turn, x, y, mirrored, fitted } = app.table.view;
    const stops = { ...this.read.stops };
    for (const stage of app.stops.made.values()) {
      const tool = (stage === app.stage ? app.tools.now : stage.tool)?.id ?? stops[stage.name]?.tool;
      stops[stage.name] = { ...stops[stage.name], ...stage.kept(), ...(tool ? { tool } : {}) };
    }
    this.read = { drawing: app.current.id, chosen: [...app.chosen], view: { zoom, turn, x, y, mirrored, fitted }, stops };
    try { localStorage[this.store] = JSON.stringify(this.read); } catch { /* a full store forgets where one was, and nothing else */ }
  }

  // What a stop was left with.
  stop(stage) {
    const kept = this.read.stops?.[stage.name];
    if (!kept) return;
    stage.keptBack(kept);
    stage.tool = stage.tools.find((tool) => tool.id === kept.tool && tool.down) ?? null;
  }

  // Lays the table as it was left; the drawing that the address names comes first.
  layBack(named) {
    const { app, read } = this;
    this.back = true;
    if (!named && app.byId.has(read.drawing)) app.current = app.byId.get(read.drawing);
    app.chosen = new Set((read.chosen ?? []).filter((id) => app.byId.has(id)));
    const { view } = app.table;
    const kept = read.view;
    const sound = kept && [kept.zoom, kept.turn, kept.x, kept.y].every(Number.isFinite);
    if (!sound) { app.room.opened(); return; }
    if (kept.fitted) { view.fit(); return; }
    Object.assign(view, { zoom: kept.zoom, turn: kept.turn, x: kept.x, y: kept.y, mirrored: Boolean(kept.mirrored), fitted: false });
    // A window of another size: what was seen may lie outside of it now.
    const [w, h] = view.size;
    const box = view.element.getBoundingClientRect();
    const [x0, y0] = view.toPaper(box.left, box.top);
    const [x1, y1] = view.toPaper(box.right, box.bottom);
    if (Math.max(x0, x1) < 0 || Math.max(y0, y1) < 0 || Math.min(x0, x1) > w || Math.min(y0, y1) > h) view.fit(); else view.onChange();
  }
}
