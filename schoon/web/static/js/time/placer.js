// Placing a level in the shot, or the field that is seen: by hand on the table, in numbers beside it. What is set holds from
// a notch at the frame that is looked at; the path through all frames is drawn with a tick a frame.

import { fill, html, settled, waits } from '../dom.js';
import { make } from '../shot/paper.js';
import { multiply, round, shifted } from '../pure/geometry.js';

const $ = (id) => document.getElementById(id);
const WAYS = { smooth: 'smoothly through', stop: 'softly to a stop', even: 'evenly', jump: 'in a jump' };
// Whether the numbers are in sight, as it was left.
const OPEN = 'placing-more';
const FIELDS = [['x', 'right', 1], ['y', 'down', 1], ['turn', 'turn °', 0.5], ['scale', 'scale', 0.01]];

export class Placer {
  constructor(app) {
    this.app = app;
    // The level that is placed, 'framing', or null.
    this.what = null;
    for (const event of ['frame', 'run', 'drawn']) app.on(event, () => { if (this.on) this.show(); });
    $('see-framing').addEventListener('click', () => this.begin('framing'));
  }

  get on() { return this.what !== null; }

  get level() { return this.what === 'framing' ? null : this.app.levels.all.find((l) => l.id === this.what); }

  get name() { return this.level ? this.level.name : 'the framing'; }

  get frame() { return this.app.frame; }

  get notches() { return this.level ? this.level.place.notches : this.app.data.framing.notches; }

  // How far paper that is not as large as the frame lies from its corner.
  get aside() {
    const [width, height] = this.level?.paper ?? this.app.data.frame;
    return [(this.app.data.frame[0] - width) / 2, (this.app.data.frame[1] - height) / 2];
  }

  // Of the frame, as it is posed.
  get matrices() {
    if (!this.level) return this.app.data.framing.fields;
    const [x, y] = this.aside;
    return this.level.places.map((matrix) => multiply(matrix, shifted(-x, -y)));
  }

  get pivot() {
    const [width, height] = this.app.data.frame;
    return this.level?.place.pivot ?? [width / 2, height / 2];
  }

  // The pose at the frame, read off its matrix.
  get pose() {
    const known = this.notches[this.frame];
    if (known) return { ...known };
    const [a, b, c, d, e, f] = this.matrices[this.frame - 1] ?? [1, 0, 0, 1, 0, 0];
    const [px, py] = this.pivot;
    return {
      x: round(a * px + c * py + e - px), y: round(b * px + d * py + f - py),
      turn: round((Math.atan2(b, a) * 180) / Math.PI), scale: Math.round(Math.hypot(a, b) * 1000) / 1000, way: 'smooth',
    };
  }

  begin(what) {
    if (this.on) { this.end(); return; }
    const { app } = this;
    this.what = what === 'framing' ? what : what.id;
    this.aiming = false;
    $('placing').hidden = false;
    app.levels.open(false);
    $('see-framing').setAttribute('aria-pressed', String(what === 'framing'));
    app.tools.over = (event, at) => this.down(event, at);
    this.show();
    app.levels.show();
    app.tools.says(`Placing ${this.name}: drag moves, Shift turns, Alt scales; a notch is set at frame ${this.frame}`);
  }

  end() {
    const { app } = this;
    this.what = null;
    $('placing').hidden = true;
    $('see-framing').setAttribute('aria-pressed', 'false');
    app.tools.over = null;
    app.table.paper.layers['pen-layer'].replaceChildren();
    app.levels.show();
    app.tools.status();
  }

  show() {
    if (waits($('placing'), () => { if (this.on) this.show(); })) return;
    const { pose, level } = this;
    const here = Boolean(this.notches[this.frame]);
    fill($('placing'), html`<div class="placing-head"><b>${level ? `Place of ${level.name}` : 'What the audience sees'}</b> frame ${this.frame}
        <button id="placing-end" aria-label="Done placing">Done <kbd>Esc</kbd></button></div>
      <div><label>goes on <select name="way">${Object.entries(WAYS).map(([way, words]) => html`<option value="${way}">${words}</option>`)}</select></label>
        <button id="notch-here">${here ? 'Take this notch away' : 'Notch here'}</button></div>
      <p class="quiet">${this.says()}</p>
      <details class="more" ${localStorage[OPEN] === 'yes' ? 'open' : ''}><summary>in numbers</summary>
        <div>${FIELDS.map(([name, words, step]) => html`<label>${words} <input name="${name}" type="number" step="${step}"
          value="${pose[name]}"></label>`)}</div>
        ${level ? html`<div><button id="pivot-here" aria-pressed="${this.aiming}">Turns about …</button><label
          title="Of the framing's move: less for what lies far off">takes of the framing <input name="follow" type="number" step="0.05" min="0" max="4"
          value="${level.place.follow}"></label></div>` : ''}</details>`);
    const more = $('placing').querySelector('.more');
    more.addEventListener('toggle', () => { localStorage[OPEN] = more.open ? 'yes' : ''; });
    const box = $('placing');
    box.querySelector('[name="way"]').value = pose.way;
    for (const field of box.querySelectorAll('input:not([name="follow"]), select')) field.addEventListener('change',
      () => { settled(field); this.set(this.written()); });
    box.querySelector('[name="follow"]')?.addEventListener('change',
      ({ target }) => { settled(target); this.send('place-level', { level: level.id, follow: Number(target.value) }); });
    $('placing-end').addEventListener('click', () => this.end());
    $('notch-here').addEventListener('click', () => this.set(here ? null : this.written()));
    $('pivot-here')?.addEventListener('click', () => { this.aiming = !this.aiming; this.show(); });
    this.path();
  }

  says() {
    const frames = Object.keys(this.notches);
    return frames.length ? `Notches at ${frames.join(', ')}` : 'No notches yet: it lies as it was drawn';
  }

  written() {
    const box = $('placing');
    const value = (name) => Number(box.querySelector(`[name="${name}"]`).value);
    return { x: value('x'), y: value('y'), turn: value('turn'), scale: Math.max(0.01, value('scale')), way: box.querySelector('[name="way"]').value };
  }

  set(notch) {
    return this.level ? this.send('place-level', { level: this.level.id, frame: this.frame, notch }) : this.send('framing', { frame: this.frame, notch });
  }

  async send(what, fields) {
    await this.app.levels.stack(what, fields);
    if (this.on) { this.show(); this.app.levels.show(); }
  }

  // Where the point it turns about goes, with a tick a frame.
  path() {
    const layer = this.app.table.paper.layers['pen-layer'];
    layer.replaceChildren();
    const { matrices, pivot: [px, py], notches } = this;
    const points = matrices.map(([a, b, c, d, e, f]) => [a * px + c * py + e, b * px + d * py + f]);
    if (points.length) make('polyline', { points: points.map((p) => p.join()).join(' '), class: 'place-path' }, layer);
    points.forEach(([x, y], k) => make('circle', { cx: x, cy: y, r: notches[k + 1] ? 7 : 3, class: `place-tick ${k + 1 === this.frame ? 'here' : ''}` },
      layer));
    const [x, y] = points[this.frame - 1] ?? [px, py];
    make('path', { d: `M${x - 14} ${y}h28M${x} ${y - 14}v28`, class: 'place-pivot' }, layer);
  }

  // The pen on the table.
  down(event, at) {
    const { app, pivot, pose } = this;
    if (this.aiming) {
      this.aiming = false;
      const [a, b, c, d, e, f] = this.matrices[this.frame - 1] ?? [1, 0, 0, 1, 0, 0];
      const det = a * d - b * c;
      const [x, y] = [at[0] - e, at[1] - f];
      this.send('place-level', { level: this.level.id, pivot: [round((d * x - c * y) / det), round((a * y - b * x) / det)] });
      return null;
    }
    const middle = [pivot[0] + pose.x, pivot[1] + pose.y];
    const angle = ([x, y]) => (Math.atan2(y - middle[1], x - middle[0]) * 180) / Math.PI;
    const reach = ([x, y]) => Math.max(4, Math.hypot(x - middle[0], y - middle[1]));
    const [x, y] = this.aside;
    const ghost = make('rect', { x, y, width: app.data.frame[0] - 2 * x, height: app.data.frame[1] - 2 * y, class: 'place-ghost' },
      app.table.paper.layers['pen-layer']);
    let now = pose;
    const draw = () => ghost.setAttribute('transform',
      `translate(${pivot[0] + now.x} ${pivot[1] + now.y}) rotate(${now.turn}) scale(${now.scale}) translate(${-pivot[0]} ${-pivot[1]})`);
    draw();
    return {
      move: (e) => {
        const to = app.table.view.toPaper(e.clientX, e.clientY);
        if (e.shiftKey) now = { ...pose, turn: round(pose.turn + angle(to) - angle(at)) };
        else if (e.altKey) now = { ...pose, scale: Math.max(0.01, Math.round((pose.scale * reach(to) * 1000) / reach(at)) / 1000) };
        else now = { ...pose, x: round(pose.x + to[0] - at[0]), y: round(pose.y + to[1] - at[1]) };
        draw();
      },
      up: () => { ghost.remove(); if (now !== pose) this.set(now); },
      cancel: () => ghost.remove(),
    };
  }
}
