// The light: a sun on a ring round the figure. On the ring it stands beside the figure, in the middle before it, outside the
// ring behind it.

import { notice, post } from '../api.js';
import { change } from '../edits/queue.js';
import { make } from '../shot/paper.js';
import { round } from '../pure/geometry.js';

const PLAIN = { azimuth: 315, height: 35, amount: 0.3 };
// How far outside the ring a light straight from behind stands, in radii.
const BEHIND = 0.35;
const PAUSE = 90;

export class SunTool {
  constructor(app, stage) {
    Object.assign(this, { app, stage, id: 'sun', part: '', holds: 'shot', alone: false, trying: null });
  }

  get pen() { return `Drag the sun round the figure${this.part ? `: the light of ${this.part}` : ''}; nearer the middle is more from the front`; }

  // The colour key whose light is set, 0 for all that have none of their own.
  get ofKey() { return this.alone ? this.app.data.key : 0; }

  get lights() { return this.of(this.ofKey); }

  of(key) { return (key ? this.app.levels.mine?.key_lights?.[key] : this.app.levels.mine?.lights) ?? {}; }

  // A key that has a light of its own is lit by itself.
  keyChanged() {
    this.alone = Boolean(this.app.levels.mine?.key_lights?.[this.app.data.key]);
    if (this.app.tools.now === this) this.show();
  }

  // The frame where a drawing is first seen.
  frameOf(entry) { return this.app.data.spans.find(([, , d]) => d === entry.id)?.[0] ?? 1; }

  // The light on a drawing: of the part if it has one of its own, else of the figure.
  at(entry, part = this.part) {
    const frame = this.frameOf(entry);
    return between(this.lights[part], frame) ?? (part ? this.at(entry, '') : between(this.of(0)[part], frame));
  }

  // Direction on the paper in which shade lies.
  away(entry) {
    const { azimuth } = this.at(entry, '') ?? PLAIN;
    const turn = (azimuth * Math.PI) / 180;
    return [-Math.sin(turn), Math.cos(turn)];
  }

  enter() { this.show(); }

  leave() { this.app.table.paper.layers.sun.replaceChildren(); }

  ring() {
    const { app } = this;
    const [w, h] = app.table.view.size;
    const box = app.current.box ?? [w * 0.3, h * 0.2, w * 0.7, h * 0.8];
    const [x, y] = [(box[0] + box[2]) / 2, (box[1] + box[3]) / 2];
    return { x, y, r: Math.min(0.62 * Math.max(box[2] - box[0], box[3] - box[1]), 0.46 * Math.min(w, h)) };
  }

  show(state = this.at(this.app.current) ?? PLAIN) {
    const { layers, zoom } = this.app.table.paper;
    const { x, y, r } = this.ring();
    const turn = (state.azimuth * Math.PI) / 180;
    const out = state.height >= 0 ? r * (1 - state.height / 90) : r * (1 + (BEHIND * -state.height) / 90);
    const [sx, sy] = [x + out * Math.sin(turn), y - out * Math.cos(turn)];
    const size = 11 / zoom;
    layers.sun.replaceChildren();
    const group = make('g', { class: this.lights[this.part] ? 'set' : 'unset' }, layers.sun);
    make('circle', { cx: x, cy: y, r, class: 'ring' }, group);
    make('circle', { cx: x, cy: y, r: 3 / zoom, class: 'middle' }, group);
    make('line', { x1: sx, y1: sy, x2: x, y2: y, class: 'ray' }, group);
    for (let k = 0; k < 8; k += 1) {
      const way = (k * Math.PI) / 4;
      make('line', { x1: sx + 1.35 * size * Math.cos(way), y1: sy + 1.35 * size * Math.sin(way), x2: sx + 1.8 * size * Math.cos(way),
        y2: sy + 1.8 * size * Math.sin(way), class: 'beam' }, group);
    }
    make('circle', { cx: sx, cy: sy, r: size, class: 'sun-body' }, group);
    this.stage.showLight(state);
  }

  down(event, at) {
    const set = (to) => {
      const { x, y, r } = this.ring();
      const [dx, dy] = [to[0] - x, to[1] - y];
      const far = Math.hypot(dx, dy) / r;
      const height = far <= 1 ? 90 * (1 - far) : -90 * Math.min(1, (far - 1) / BEHIND);
      return { azimuth: round((Math.atan2(dx, -dy) * 180) / Math.PI + 360, 10) % 360, height: round(height, 10), amount: this.stage.amount };
    };
    let state = set(at);
    this.try(state);
    return {
      move: (e) => { state = set(this.app.table.view.toPaper(e.clientX, e.clientY)); this.try(state); },
      up: () => this.keep(state),
      cancel: () => { this.show(); this.app.table.draw(); },
    };
  }

  // Shows the shade of this drawing under a light, as soon as the last one that was asked for has come.
  async try(state) {
    this.show(state);
    this.wanted = state;
    if (this.trying) return;
    this.trying = (async () => {
      while (this.wanted) {
        const asked = this.wanted;
        this.wanted = null;
        const entry = this.app.current;
        const here = Object.fromEntries(Object.keys(this.lights).map((part) => [part, this.at(entry, part)]));
        try {
          const { tones } = await post(`/api/drawings/${entry.id}/light`, { lights: { ...here, [this.part]: asked } });
          if (entry === this.app.current) this.stage.tried(tones);
        } catch (error) { notice(error.message, true); this.wanted = null; }
        await new Promise((go) => { setTimeout(go, PAUSE); });
      }
      this.trying = null;
    })();
  }

  // Where a light that is set holds: over the whole shot as long as it does not change, else from this drawing on.
  frame() {
    const frames = Object.keys(this.lights[this.part] ?? {}).map(Number);
    if (this.holds === 'here') return this.frameOf(this.app.current);
    if (frames.length > 1) return frames.reduce((a, b) => (Math.abs(b - this.frameOf(this.app.current)) < Math.abs(a - this.frameOf(this.app.current))
      ? b : a));
    return frames[0] ?? 1;
  }

  async keep(state) {
    const { app } = this;
    await this.trying;
    try {
      const answer = await change('stacks', app.data.shot.id, 'light',
        { level: app.level, part: this.part, frame: this.frame(), light: state, key: this.ofKey });
      this.take(answer);
      this.show();
      this.stage.ledge();
    } catch (error) { notice(error.message, true); }
  }

  take(answer) {
    const level = answer.levels?.[this.app.level];
    if (level) Object.assign(this.app.levels.mine, { lights: level.lights, key_lights: level.key_lights });
  }

  // Takes the light of the part, or of the figure, away here.
  async clear() {
    const { app } = this;
    if (!this.lights[this.part]) { notice('There is no light to take away'); return; }
    try {
      this.take(await change('stacks', app.data.shot.id, 'light', { level: app.level, part: this.part, frame: this.frame(), light: null, key: this.ofKey }));
      this.show();
      this.stage.ledge();
    } catch (error) { notice(error.message, true); }
  }
}

// As the server computes it: evenly from one to the next, the short way round.
function between(lights, frame) {
  const frames = Object.keys(lights ?? {}).map(Number).sort((a, b) => a - b);
  if (!frames.length) return null;
  const after = frames.findIndex((f) => f > frame);
  if (after <= 0) return lights[after === 0 ? frames[0] : frames[frames.length - 1]];
  const [a, b] = [lights[frames[after - 1]], lights[frames[after]]];
  const share = (frame - frames[after - 1]) / (frames[after] - frames[after - 1]);
  const turn = ((b.azimuth - a.azimuth + 540) % 360) - 180;
  const mix = (name) => a[name] + share * (b[name] - a[name]);
  return { azimuth: (a.azimuth + share * turn + 360) % 360, height: mix('height'), amount: mix('amount') };
}
