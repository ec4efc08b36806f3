// Arcs: where a line of the first drawing goes on its way to the last, bent and spaced by hand.

import { notice, post } from '../api.js';
import { make, spot } from '../shot/paper.js';
import { round } from '../pure/geometry.js';

// Px of the screen within which an arc's handle or a tick is taken.
const NEAR = 11;

const apart = (a, b) => Math.hypot(a[0] - b[0], a[1] - b[1]);

export class Arcs {
  // view: the view of the ledge that knows what is asked for.
  constructor(app, view) { Object.assign(this, { app, view, list: [] }); }

  get bends() { return this.list.filter(({ by }) => by.some(Boolean)).map(({ at, by }) => ({ at, by })); }

  clear() { this.list = []; this.show(); this.view.arcsChanged(); }

  remove(k) { this.list.splice(k, 1); this.again(); }

  // Asks for the ways of all arcs as they would be made now.
  async again() {
    const { app, list } = this;
    this.view.arcsChanged();
    if (!list.length) { this.show(); return; }
    const asked = list.map(({ at }) => at.map((v) => round(v)));
    try {
      const { paths } = await post(`/api/levels/${app.level}/between/paths`, { ...this.view.wanted, bends: this.bends, places: asked });
      paths.forEach((found, k) => { if (list[k]) Object.assign(list[k], found); });
    } catch (error) { notice(error.message, true); }
    this.show();
    this.view.arcsChanged();
  }

  // Where an arc is taken to bend it: near its middle, clear of the ticks.
  handle({ path, ticks }) {
    const { zoom } = this.app.table.view;
    const half = (path.length - 1) / 2;
    const clear = (k) => Math.min(3 * NEAR, ...ticks.map((tick) => apart(path[k], tick) * zoom)) - 2 * Math.abs(k - half);
    return path.map((_, k) => k).filter((k) => Math.abs(k - half) <= half / 2).reduce((best, k) => (clear(k) > clear(best) ? k : best), Math.round(half));
  }

  show() {
    const { layers } = this.app.table.paper;
    layers.arcs.replaceChildren();
    if (!this.shown) return;
    for (const arc of this.list.filter(({ path }) => path)) {
      const group = make('g', { class: arc.by.some(Boolean) ? 'bent' : '' }, layers.arcs);
      make('polyline', { points: arc.path.map((p) => p.join()).join(' ') }, group);
      for (const tick of arc.ticks) spot(tick, 'circle', { r: 4, class: 'tick' }, group);
      for (const at of [arc.path[0], arc.path.at(-1)]) spot(at, 'circle', { r: 5.5, class: 'end' }, group);
      spot(arc.path[arc.held ?? this.handle(arc)], 'path', { d: 'M0-8L8 0L0 8L-8 0Z', class: 'bends' }, group);
    }
  }

  tool() {
    return {
      id: 'arc', pen: 'Arc: click a line to see its way to the last drawing; drag its middle to bend it, a tick to space it',
      enter: () => { this.shown = true; this.view.open(); this.show(); },
      leave: () => { this.shown = false; this.show(); },
      down: (event, from) => this.down(from),
    };
  }

  // What lies nearest under the pen: the handle of an arc, or one of its ticks.
  down(from) {
    const found = this.list.filter(({ path }) => path).flatMap((arc) => [
      { far: apart(arc.path[this.handle(arc)], from), take: () => this.bend(arc, from) },
      ...arc.ticks.map((tick, k) => ({ far: apart(tick, from), take: () => this.space(arc, k) })),
    ]);
    const nearest = found.reduce((best, one) => (one.far < best.far ? one : best), { far: NEAR / this.app.table.view.zoom });
    return nearest.take?.() ?? { move() {}, cancel() {}, up: () => this.add(from) };
  }

  async add(at) {
    this.list.push({ at, by: [0, 0] });
    await this.again();
    const added = this.list.at(-1);
    if (added && !added.path) { this.list.pop(); this.view.arcsChanged(); }
  }

  // Drags an arc aside: most of it half way, less and less towards the ends.
  bend(arc, from) {
    const { path, by, ticks } = arc;
    const held = this.handle(arc);
    const part = held / (path.length - 1);
    const put = (to) => {
      const step = [to[0] - from[0], to[1] - from[1]].map((v) => v / (4 * part * (1 - part)));
      arc.held = held;
      arc.by = [round(by[0] + step[0]), round(by[1] + step[1])];
      const bent = (p, share) => p.map((v, axis) => v + 4 * share * (1 - share) * step[axis]);
      arc.path = path.map((p, k) => bent(p, k / (path.length - 1)));
      arc.ticks = [];
      this.show();
    };
    return {
      move: (e) => put(this.app.table.view.toPaper(e.clientX, e.clientY)),
      up: () => { delete arc.held; if (arc.by === by) arc.ticks = ticks; this.again(); },
      cancel: () => { delete arc.held; Object.assign(arc, { path, by, ticks }); this.show(); },
    };
  }

  // Drags a tick along its arc: the drawing lies at another share of the way.
  space(arc, k) {
    const was = arc.ticks[k];
    let share = null;
    return {
      move: (e) => {
        const to = this.app.table.view.toPaper(e.clientX, e.clientY);
        let best = 0;
        arc.path.forEach((p, index) => { if (apart(p, to) < apart(arc.path[best], to)) best = index; });
        share = best / (arc.path.length - 1);
        arc.ticks[k] = arc.path[best];
        this.show();
      },
      up: () => { if (share !== null) { this.view.spaced(arc.part, k, share); this.again(); } },
      cancel: () => { arc.ticks[k] = was; this.show(); },
    };
  }
}
