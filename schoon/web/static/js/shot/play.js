// Playing the shot at its rate, with its holds, as every export composes it: each drawing is one picture, laid where its
// level lies in the frame and seen through the framing.

import { notice } from '../api.js';
import { fill } from '../dom.js';
import { Alternatives } from './alternatives.js';
import { Levels } from './levels.js';
import { general } from './signs.js';

const SAME = [1, 0, 0, 1, 0, 0];
// Kinds of levels that are part of the result.
const HANDED_OFF = ['drawings', 'backdrop'];
// Frames that have to be there before playing begins; the others are read while it plays.
const BEFORE = 1;
// The same of a span that was asked for: it is looked at closely.
const SPAN = 48;

const $ = (id) => document.getElementById(id);

export class Player {
  constructor(app) {
    this.app = app;
    this.on = false;
    // The frames that are played, null for all; how fast, 1 as it is; whether it begins again.
    Object.assign(this, { span: null, speed: 1, loops: true });
    this.alternatives = new Alternatives(app, this);
    this.wire();
    this.canvas = document.getElementById('screen');
    this.pictures = new Map();
    // What is tried in the sheet is seen at once.
    app.on('time', () => { if (this.on) this.read(); });
  }

  wire() {
    const { app } = this;
    const open = (on) => { $('play-box').hidden = !on; $('play-how').setAttribute('aria-expanded', String(on));
      if (on) { this.showSpan(); this.alternatives.offer(); } };
    $('play-how').addEventListener('click', () => open($('play-box').hidden));
    $('play-speed').addEventListener('change', ({ target }) => { this.speed = Number(target.value); this.again(); });
    $('play-loop').addEventListener('change', ({ target }) => { this.loops = target.checked; });
    for (const id of ['play-first', 'play-last']) $(id)
      .addEventListener('change', () => this.use([Number($('play-first').value), Number($('play-last').value)]));
    $('play-whole').addEventListener('click', () => this.use(null));
    $('play-chosen').addEventListener('click', () => {
      const ids = app.chosen.size ? app.chosen : new Set([app.current.id]);
      const own = app.data.spans.filter(([, , id]) => ids.has(id));
      if (!own.length) { notice('The chosen drawings are in no frame', true); return; }
      this.use([own[0][0], own[own.length - 1][0] + own[own.length - 1][1] - 1]);
    });
  }

  // Plays from one frame to another, or with null all of them.
  use(span) {
    const { frames } = this.app.data.shot;
    const within = (f) => Math.min(frames, Math.max(1, Math.round(f) || 1));
    this.span = span && [Math.min(...span.map(within)), Math.max(...span.map(within))];
    this.showSpan();
    this.again();
  }

  get frames() { return this.span ?? [1, this.app.data.shot.frames]; }

  showSpan() { [$('play-first').value, $('play-last').value] = this.frames; }

  // What is playing begins again, as it is asked for now.
  again() { this.start = performance.now(); }

  // What a press of the button does, in its sign and its name.
  says(words) {
    const button = document.getElementById('play');
    button.setAttribute('aria-label', words);
    button.classList.toggle('reading', words.endsWith('…'));
    fill(button, general(words === 'Stop' ? 'pause-fill' : 'play-fill'));
  }

  // slowly: this time at half speed.
  async toggle(slowly = false) {
    if (this.on) { this.stop(); return; }
    this.slowly = slowly;
    this.says('Reading …');
    this.late = 0;
    if (!await this.read()) { this.says('Play'); return; }
    this.on = true;
    this.says('Stop');
    this.canvas.hidden = false;
    document.body.classList.add('playing');
    this.run();
  }

  // What each frame is made of, rear to front: { url, matrix, opacity, level, size }, on one side or on two. Resolves to whether
  // the first is there.
  async read() {
    const { app } = this;
    const look = app.stage.plays;
    const stack = app.levels.all.filter((l) => app.levels.seen(l) && (app.stage.playsAll || HANDED_OFF.includes(l.kind)));
    const frames = Array.from({ length: app.data.shot.frames }, (_, k) => k + 1);
    this.sides = [0, 1].slice(0, this.alternatives.now ? 2 : 1).map((k) => [[], ...frames.map((frame) => this.sideAt(k, frame, stack, look))]);
    const urls = [...new Set(this.sides.flat(2).map((layer) => layer.url))];
    for (const url of [...this.pictures.keys()]) if (!urls.includes(url)) this.pictures.delete(url);
    const [begin, end] = this.frames;
    const first = new Set(this.sides.flatMap((shown) => shown.slice(begin, this.span ? Math.min(end + 1, begin + SPAN) : begin + BEFORE)).flat()
      .map((layer) => layer.url));
    try { await Promise.all([...first].map((url) => this.fetch(url))); } catch {
      notice('The shot could not be read for playing; try again', true);
      return false;
    }
    for (const url of urls) this.fetch(url).catch(() => notice('A picture of the shot could not be read', true));
    return true;
  }

  async fetch(url) {
    if (this.pictures.has(url)) return;
    const image = new Image();
    image.src = url;
    await image.decode();
    this.pictures.set(url, image);
  }

  // What a frame shows on a side, 0 or 1, of two alternatives, or of the only one.
  sideAt(k, frame, stack, look) {
    const { alternatives } = this;
    const { now } = alternatives;
    const then = k && now.moment ? alternatives.then(frame) : undefined;
    if (look === 'rough' && !now?.level) return this.roughAt(frame, then);
    return (now ? alternatives.side(k, stack) : stack)
      .flatMap((level) => this.layersAt(level, frame, look === 'rough' ? 'best' : look, level.id === this.app.level ? then : undefined));
  }

  // then: { drawing, revision } instead of what stands there now, null for nothing.
  roughAt(frame, then) {
    const { app } = this;
    const entry = app.byId.get(then === undefined ? app.data.spans.find(([first, count]) => frame >= first && frame < first + count)?.[2] : then?.drawing);
    const level = app.levels.mine;
    // Roughs are seen as they were drawn; paper of another size still lies where it lies in the frame.
    const matrix = level.paper.join() === app.data.frame.join() ? SAME : level.places[frame - 1];
    const url = entry && (then ? `/drawings/${entry.id}/view.webp?w=960&look=rough&revision=${then.revision}&v=m${then.revision}`
      : app.colours.viewUrl(entry, 960, 'rough'));
    return entry ? [{ url, matrix, opacity: 1, level, size: level.pictures ?? level.paper }] : [];
  }

  layersAt(level, frame, look, then) {
    const { app } = this;
    if (then === null) return [];
    if (then) {
      const url = `/drawings/${then.drawing}/view.webp?w=960&look=${look}&clear=1${app.data.key ? `&key=${app.data.key}`
        : ''}&revision=${then.revision}&v=m${then.revision}.${app.colours.tag}`;
      return [{ url, matrix: level.seen[frame - 1] ?? SAME, opacity: level.opacity / 100, level, size: level.paper }];
    }
    const drawing = Levels.at(level, frame);
    const tag = drawing > 0 && app.levels.tag(level, drawing);
    if (!tag) return [];
    const matrix = level.seen[frame - 1] ?? SAME;
    const opacity = level.opacity / 100;
    const layers = [];
    if (level.roughs[drawing]) layers.push({ url: level.roughs[drawing], matrix, opacity, level });
    const lined = level.id === app.levels.own ? app.byId.get(drawing)?.strokes : level.drawn[drawing];
    const key = level.id === app.levels.own ? app.data.key : level.key;
    if (lined) layers.push({ url: `/drawings/${drawing}/view.webp?w=960&look=${look}&clear=1${key ? `&key=${key}` : ''}${level.id === app.level
      ? app.colours.triedWords : ''}&v=${tag}`, matrix, opacity, level, size: level.paper });
    return layers;
  }

  run() {
    const { app, canvas } = this;
    const [width, height] = app.data.frame;
    const box = canvas.getBoundingClientRect();
    const dots = window.devicePixelRatio || 1;
    Object.assign(canvas, { width: box.width * dots, height: box.height * dots });
    const ink = canvas.getContext('2d');
    const boxes = laidOut(this.sides.length, canvas, width / height)
      .map((box) => ({ ...box, onto: [box.width / width, 0, 0, box.width / width, box.left, box.top] }));
    this.alternatives.show(boxes.map((one) => ({ left: one.left / dots, foot: (one.top + one.width * (height / width)) / dots, width: one.width / dots })));
    ink.fillStyle = getComputedStyle(document.getElementById('table')).backgroundColor;
    ink.fillRect(0, 0, canvas.width, canvas.height);
    this.again();
    let last = 0;
    const step = (now) => {
      if (!this.on) return;
      const { fps } = app.data.shot;
      const [first, end] = this.frames;
      const gone = Math.max(0, Math.floor(((now - this.start) / 1000) * fps * this.speed * (this.slowly ? 0.5 : 1)));
      const count = end - first + 1;
      if (!this.frozen && !this.loops && gone >= count && last === end) { this.stop(); return; }
      const playing = first + (this.loops ? gone % count : Math.min(gone, count - 1));
      const frame = this.frozen ? app.frame : playing;
      if (frame !== last && this.draw(ink, frame, boxes)) {
        last = frame;
        if (!this.frozen) app.tools.says(`frame ${frame} of ${app.data.shot.frames}`);
        canvas.dataset.frame = frame;
      }
      requestAnimationFrame(step);
    };
    requestAnimationFrame(step);
  }

  // Draws a frame; false while a picture of it is still on its way: what was there stays. boxes: of each side, with its matrix.
  draw(ink, frame, boxes) {
    if (this.sides.some((shown) => shown[frame].some(({ url }) => !this.pictures.has(url)))) { this.late += 1; return false; }
    boxes.forEach(({ onto }, k) => this.drawSide(ink, this.sides[k][frame], onto));
    return true;
  }

  drawSide(ink, layers, onto) {
    const [width, height] = this.app.data.frame;
    ink.save();
    ink.setTransform(...onto);
    ink.beginPath();
    ink.rect(0, 0, width, height);
    ink.clip();
    ink.fillStyle = '#fff';
    ink.fillRect(-1, -1, width + 2, height + 2);
    for (const { url, matrix, opacity, level, size } of layers) {
      const image = this.pictures.get(url);
      ink.setTransform(...onto);
      ink.transform(...matrix);
      ink.globalAlpha = opacity;
      const lies = Levels.lying(level, size ?? [image.naturalWidth, image.naturalHeight]);
      ink.drawImage(image, lies.x, lies.y, lies.width, lies.height);
    }
    ink.restore();
  }

  // The frame that is looked at as the audience sees it, still; again: the table.
  async still() {
    if (this.on) { this.stop(); return; }
    if (!await this.read()) return;
    const { app } = this;
    const urls = new Set(this.sides.flatMap((shown) => shown[app.frame] ?? []).map((layer) => layer.url));
    try { await Promise.all([...urls].map((url) => this.fetch(url))); } catch { notice('The frame could not be read; try again', true); return; }
    this.on = true;
    this.frozen = true;
    this.canvas.hidden = false;
    document.body.classList.add('playing');
    document.getElementById('see-frame').setAttribute('aria-pressed', 'true');
    this.run();
    app.tools.says(`frame ${app.frame} as the audience sees it`);
  }

  stop() {
    this.on = false;
    this.frozen = false;
    document.getElementById('see-frame').setAttribute('aria-pressed', 'false');
    this.canvas.hidden = true;
    this.alternatives.show([]);
    document.body.classList.remove('playing');
    this.says('Play');
    this.app.tools.status();
  }
}

// Room for pictures of a shape within a canvas, beside or above each other, whichever makes them larger.
function laidOut(count, { width, height }, shape) {
  const fits = ([columns, rows]) => {
    const wide = Math.min(width / columns, (height / rows) * shape) * 0.94;
    return Array.from({ length: count }, (_, k) => ({
      left: ((k % columns) + 0.5) * (width / columns) - wide / 2, top: (Math.floor(k / columns) + 0.5) * (height / rows) - wide / shape / 2, width: wide,
    }));
  };
  const [beside, above] = [fits([count, 1]), fits([1, count])];
  return beside[0].width >= above[0].width ? beside : above;
}
