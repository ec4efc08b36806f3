// The table: the drawing that is worked on, drawn as the stage wants it.

import { notice } from '../api.js';
import { onChange, waitingFor } from '../edits/queue.js';
import { changedStrokes, drawnPaths, pouredPaint } from '../pure/waiting.js';
import * as drawings from './drawings.js';
import { Levels } from './levels.js';
import { Paper, drawnOn, make, roughStep, roughUrl } from './paper.js';
import { penDrag } from './pen.js';
import { View } from './view.js';
import { shownIn } from '../tone/layer.js';

const $ = (id) => document.getElementById(id);
const SLOW = 250;
// Ms after which a hand that draws has come to rest.
const RESTS = 1200;
// Widths at which the composed picture of a drawing is asked for, px.
const COMPOSED = [640, 960, 1280, 1920];

export class Table {
  constructor(app) {
    this.app = app;
    this.drawn = 0;
    this.view = new View($('table'), [app.data.shot.width, app.data.shot.height], () => this.moved());
    this.paper = new Paper($('paper'), this.view.size);
    $('table').addEventListener('wheel', (event) => {
      event.preventDefault();
      this.view.around(event.clientX, event.clientY, Math.exp(-event.deltaY * 0.0016), 0);
    }, { passive: false });
    app.on('drawn', () => { this.prefetch(); this.ahead(); });
    onChange((what) => this.waits(what));
    $('see-change').addEventListener('click', () => { this.seesChange = !this.seesChange; this.draw(); });
    $('change-looked').addEventListener('click', () => app.sync.time('look', { drawing: app.current.id }).then(() => app.sync.refresh()));
    app.on('colours', () => app.stage && this.own(app.current, drawings.lineNow(app.current)));
  }

  moved() {
    this.paper?.place(this.view.matrix());
    $('zoom').textContent = `${Math.round(this.view.zoom * 100)} %`;
    if (this.shown) this.compose();
    this.app.stage?.viewChanged();
  }

  // The tones of what is shown, as its colour key has them.
  tones() {
    const { stage } = this.app;
    const shapes = stage.tones && this.shown ? drawings.paintNow(this.shown) : null;
    this.paper.tones(shapes, shapes?.tones ? shownIn(shapes.tones, this.app.colours.toned) : null, stage.tones === 'grey');
  }

  // The composed picture, where the stage shows it, as large as it is seen; one that is larger already will do.
  compose() {
    const { app, paper, shown, view } = this;
    const wide = view.size[0] * view.zoom * (window.devicePixelRatio || 1);
    const least = COMPOSED.find((step) => wide <= step) ?? COMPOSED[COMPOSED.length - 1];
    if (app.looks.other && shown === app.current) {
      const { url, box } = app.looks.url(least);
      paper.composed(url, box);
      return;
    }
    if (!app.stage.composed || app.looks.way !== 'plain'  || !shown.strokes) { paper.composed(null); return; }
    const what = `${shown.id}.${shown.revision}.${app.colours.tag}`;
    this.asked = { what, step: this.asked?.what === what ? Math.max(this.asked.step, least) : least };
    paper.composed(`${app.colours.viewUrl(shown, this.asked.step, 'paint')}&clear=true&exact=true`);
  }

  // Edits of a drawing that wait for their answer.
  waitingOf(entry) { return waitingFor(entry, this.app.level).map((item) => item.op); }

  // What waits has changed. What an answer has brought is drawn by whoever asked; where others' changes came with it, all is
  // read anew, and what waited stays in sight until that is there.
  waits({ subject, level, answered, answer, left }) {
    const { app } = this;
    if (!app.current || (subject !== `drawings/${app.current.id}` && level !== app.level)) return;
    if (answered && (!answer || answer.merged || left)) { if (this.shown === app.current) this.draw(); return; }
    this.showWaiting();
  }

  showWaiting() { if (this.shown) this.paper.waiting(drawnPaths(this.waitingOf(this.shown))); }

  // What is known of a drawing, with what waits for its answer.
  seenPaint(entry, shapes) {
    if (!shapes) return shapes;
    const found = pouredPaint(shapes.patches, this.waitingOf(entry), (n, at) => this.paper.inside(n, at));
    if (!found.size) return shapes;
    const paint = { ...shapes.paint };
    for (const [n, value] of found) if (value) paint[n] = value; else delete paint[n];
    return { ...shapes, paint };
  }

  // Shows a drawing. flip: only while a key is held, nothing else follows.
  async draw(entry = this.app.current, flip = false) {
    const { app, paper } = this;
    const { stage } = app;
    const ticket = ++this.drawn;
    const lent = app.tools.lent?.stage;
    const how = stage.patches || (app.looks.needsPatches || lent?.patches === 'pots' ? 'pots' : null);
    const withPatches = entry.strokes > 0 && Boolean(how);
    let line = drawings.lineNow(entry);
    let shapes = withPatches ? drawings.paintNow(entry) : null;
    if (!line || (withPatches && !shapes)) {
      const { revision } = entry;
      // What lies on the paper is never another drawing than the one that is named: until it is read, its small picture stands for it.
      if (this.shown && this.shown !== entry) {
        this.shown = null;
        paper.stand(app.colours.viewUrl(entry, 300, stage.look));
      }
      const slow = setTimeout(() => { if (ticket === this.drawn) $('waiting').hidden = false; }, SLOW);
      try {
        [line, shapes] = await Promise.all([drawings.line(entry), withPatches ? drawings.paint(entry) : null]);
      } catch (error) {
        if (ticket === this.drawn) notice(error.message, true);
        return;
      } finally { clearTimeout(slow); $('waiting').hidden = true; }
      if (ticket !== this.drawn) return;
      // A stroke that arrived meanwhile has made another revision of it.
      if (entry.revision !== revision) { await this.draw(entry, flip); return; }
    }
    const changes = Boolean(entry.retaken) && ['rough', 'line'].includes(stage.name);
    $('changed-rough').hidden = !changes;
    $('see-change').setAttribute('aria-pressed', String(changes && Boolean(this.seesChange)));
    paper.change = changes && this.seesChange ? `/drawings/${entry.id}/difference.webp?v=${entry.retaken}` : null;
    paper.without = stage.without(entry, line, flip);
    const { mine } = app.levels;
    paper.lies = mine.pictures && !drawnOn(line) ? Levels.lying(mine, mine.pictures) : Levels.lying(mine, mine.paper);
    paper.rough(entry, line, paper.change ? 'full' : stage.rough(line.strokes.length > 0));
    this.own(entry, line);
    const waiting = this.waitingOf(entry);
    paper.ink(app.looks.way === 'bare' ? [] : stage.ink(changedStrokes(line.strokes, waiting)), stage.picked, stage.showsDoubt && !flip && !line.own);
    paper.stitches(stage.showsStitches || lent?.showsStitches ? line.stitches : [], stage.stitch);
    paper.patches(this.seenPaint(entry, shapes), how, stage.showsBare);
    paper.waiting(drawnPaths(waiting));
    this.shown = entry;
    this.compose();
    this.tones();
    $('paper').dataset.drawing = entry.number;
    $('paper').dataset.revision = entry.revision;
    if (flip) { paper.onion([]); paper.placed(app.onion.placed ? app.levels.between(entry) : null); return; }
    $('undo').disabled = !line.undo;
    $('redo').disabled = !line.redo;
    app.tell('drawn', entry, line, shapes);
  }

  own(entry, line) {
    const { app, paper } = this;
    paper.own(line?.own && app.looks.way !== 'bare' && app.stage.ink(line.strokes).length ? app.colours.ownUrl(entry, line) : null);
  }

  // The patches of the drawing on the table are found while the hand rests at a stop that does not show them: the next may.
  ahead() {
    const { app } = this;
    clearTimeout(this.resting);
    if (app.stage.patches || !app.current.strokes) return;
    const entry = app.current;
    this.resting = setTimeout(() => { if (app.current === entry && !this.waitingOf(entry).length) drawings.paint(entry).catch(() => {}); }, RESTS);
  }

  // The neighbours are read before they are asked for; their roughs too if roughs are looked at, so that flipping is instant.
  prefetch() {
    const { app, paper, view } = this;
    for (const by of [1, -1]) {
      const entry = app.neighbour(by);
      if (!entry) continue;
      drawings.line(entry).then((line) => {
        if (paper.roughOf) new Image().src = roughUrl(entry, line, roughStep(view.size[0], view.zoom));
      }).catch(() => {});
      if (entry.strokes && app.stage.patches) drawings.paint(entry).catch(() => {});
    }
  }

  lookAt(x, y, zoom) {
    const { view } = this;
    const box = $('table').getBoundingClientRect();
    view.zoom = zoom;
    const [a, b, c, d] = view.matrix();
    view.x = box.width / 2 - (a * x + c * y);
    view.y = box.height / 2 - (b * x + d * y);
    view.fitted = false;
    view.onChange();
  }

  // An area that is drawn round on the paper next: its corners, x and y in turn.
  pickRing(done) {
    notice('Draw round the area on the paper');
    this.app.tools.once = (event, from) => penDrag(this.app, event, from, (path, clear) => {
      clear();
      const every = Math.ceil(path.length / 400);
      const ring = path.filter((_, k) => k % every === 0).flatMap(([x, y]) => [Math.round(x), Math.round(y)]);
      if (ring.length >= 6) done(ring);
    });
  }

  // A rectangle that is drawn on the paper next, for comparing what lies in it.
  pickBox(done) {
    notice('Drag a rectangle on the paper');
    this.app.tools.once = (event, from) => {
      const node = make('rect', { class: 'chosen-frame' }, this.paper.layers['pen-layer']);
      let area = null;
      return {
        move: (e) => {
          const to = this.view.toPaper(e.clientX, e.clientY);
          const [x, y] = [0, 1].map((k) => Math.min(from[k], to[k]));
          const [width, height] = [0, 1].map((k) => Math.abs(from[k] - to[k]));
          area = [x, y, x + width, y + height];
          for (const [name, value] of Object.entries({ x, y, width, height })) node.setAttribute(name, value);
        },
        up() { node.remove(); if (area) done(area); },
        cancel() { node.remove(); },
      };
    };
  }
}
