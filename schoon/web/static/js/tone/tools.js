// Pens of tone: block a shape in, draw an edge across a form, take away; choose a shape, move it and its points.

import { notice } from '../api.js';
import { paintSeen } from '../shot/drawings.js';
import { make } from '../shot/paper.js';
import { penDrag } from '../shot/pen.js';
import { centreLine, pairs, round } from '../pure/geometry.js';
import { KIND_WORDS } from './layer.js';
import { newId } from '../pure/ids.js';

const INSIDE = { all: 'wherever there is paint', patch: 'in the patch it begins in', pot: 'on the pot it begins on', part: 'on the part it begins on' };

class PenTool {
  constructor(app, stage, fields) { Object.assign(this, { app, stage }, fields); }

  get kindWords() { return KIND_WORDS[this.stage.kind].toLowerCase(); }

  down(event, at) {
    const { app } = this;
    const entry = app.current;
    if (!paintSeen(entry)) { notice(entry.strokes ? 'The patches are still being found; wait a moment' : 'This drawing has no line yet; clean it first');
      return null; }
    return penDrag(app, event, at, async (path, clear) => { if (path.length > 2) await this.draw(entry, path); clear(); });
  }
}

// A closed shape; with `takes` what of its kind lies under it goes.
export class BlockTool extends PenTool {
  get pen() { if (this.brush) return `Brush ${this.kindWords}, seen ${INSIDE[this.stage.inside]}`;
    return this.takes ? `Take ${this.kindWords} away: draw round it` : `Block in ${this.kindWords}, seen ${INSIDE[this.stage.inside]}`; }

  async draw(entry, path) {
    const { stage, takes } = this;
    await stage.send(entry, 'tone', { id: newId(), kind: stage.kind, path, takes: Boolean(takes), within: stage.inside, soft: takes ? 0 : stage.soft,
      brush: this.brush ? stage.brush : 0 });
  }
}

// An edge across a form: the side away from the light is toned, or the other one.
export class EdgeTool extends PenTool {
  constructor(app, stage) { super(app, stage, { id: 'edge', last: null }); }

  get pen() { return `Draw the edge of ${this.kindWords} across a form; B turns it to the other side`; }

  async draw(entry, path) {
    const [a, b] = [path[0], path[path.length - 1]];
    const across = [-(b[1] - a[1]), b[0] - a[0]];
    const away = this.stage.light.away(entry);
    const lit = ['light', 'rim'].includes(this.stage.kind) ? -1 : 1;
    const turned = lit * (across[0] * away[0] + across[1] * away[1]) < 0 ? -1 : 1;
    this.last = { entry, path, towards: across.map((v) => round(v * turned)), id: newId(), kind: this.stage.kind };
    await this.put();
  }

  async otherSide() {
    if (!this.last || this.last.entry !== this.app.current) { notice('Draw an edge first; then this turns it to its other side'); return; }
    this.last.towards = this.last.towards.map((v) => -v);
    await this.put();
  }

  put() {
    const { entry, path, towards, id, kind } = this.last;
    return this.stage.send(entry, 'tone-edge', { id, kind, path, towards, within: this.stage.inside === 'all' ? 'patch' : this.stage.inside });
  }
}

// Chooses a shape; its points lie on the paper and are dragged, or the whole of it.
export class ChooseTool {
  constructor(app, stage) {
    Object.assign(this, { app, stage, id: 'choose', id_: null });
    this.pen = 'Choose a tone: click it; drag it or its points; Delete takes it away';
  }

  get chosen() { return this.stage.tonesNow().find((t) => t.id === this.id_) ?? null; }

  enter() { this.show(); }

  leave() { this.id_ = null; this.show(); }

  pick(id) { this.id_ = id; this.show(); }

  redrawn() { this.show(); }

  show() {
    const layer = this.app.table.paper.layers['tone-points'];
    const { chosen } = this;
    layer.replaceChildren();
    if (!chosen) return;
    const { zoom } = this.app.table.paper;
    for (const ring of chosen.rings) make('path', { d: centreLine(ring), class: 'spine' }, layer);
    chosen.rings.forEach((ring, k) => {
      const points = pairs(ring);
      for (let n = 0; n < points.length - 1; n += 3) {
        make('circle', { cx: points[n][0], cy: points[n][1], r: 4.5 / zoom, class: 'knot', 'data-ring': k, 'data-knot': n }, layer);
      }
    });
  }

  down(event, from) {
    const { knot, ring } = event.target.dataset ?? {};
    if (knot !== undefined && this.chosen) return this.drag(this.chosen, from, Number(ring), Number(knot));
    const hit = this.under(event, from);
    const before = this.id_;
    this.id_ = hit?.id ?? null;
    this.show();
    if (!hit) return null;
    return before === hit.id ? this.drag(hit, from) : { move() {}, up() {}, cancel() {} };
  }

  // The topmost shape under the pen, where it is seen.
  under(event, at) {
    const { stage, app } = this;
    const shapes = paintSeen(app.current);
    const paper = app.table.paper.layers['tone-points'];
    const point = app.table.paper.svg.createSVGPoint();
    [point.x, point.y] = at;
    const patch = stage.patchAt(event, at);
    return stage.tonesNow().filter((t) => (t.patches ?? [patch]).includes(patch)).reverse().find((t) => {
      const node = make('path', { d: t.d, 'fill-rule': 'evenodd' }, paper);
      const inside = node.isPointInFill(point);
      node.remove();
      return inside && shapes;
    });
  }

  // Moves the whole shape, or one point with its handles.
  drag(tone, from, ring = null, knot = null) {
    const { app, stage } = this;
    let rings = tone.rings;
    const moved = (by) => tone.rings.map((flat, k) => {
      if (ring !== null && k !== ring) return flat;
      const points = pairs(flat);
      const last = points.length - 1;
      const near = ring === null ? points.map((_, n) => n) : [knot - 1, knot, knot + 1];
      if (ring !== null && knot === 0) near.push(last, last - 1);
      const wanted = new Set(near.filter((n) => n >= 0 && n <= last));
      return points.flatMap(([x, y], n) => (wanted.has(n) ? [round(x + by[0], 10), round(y + by[1], 10)] : [x, y]));
    });
    return {
      move: (e) => {
        const to = app.table.view.toPaper(e.clientX, e.clientY);
        rings = moved([to[0] - from[0], to[1] - from[1]]);
        stage.preview(stage.tonesNow().map((t) => (t === tone ? { ...t, rings, d: rings.map((r) => `${centreLine(r)}Z`).join('') } : t)));
      },
      up: async () => { if (rings !== tone.rings) await stage.send(app.current, 'tone-bend', { id: tone.id, rings }); this.show(); },
      cancel: () => app.table.draw(),
    };
  }

  async remove() {
    const { chosen } = this;
    if (!chosen) { notice('Choose a tone first: C, then click it'); return; }
    this.id_ = null;
    await this.stage.send(this.app.current, 'tone-drop', { ids: [chosen.id] });
    this.show();
  }
}
