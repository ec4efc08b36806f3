// The stops of a shot on one table. A stop is not a page: it lights what is open there, brings its tray and its ledge, and
// leaves the view, the drawing, what is chosen, and each stop's own tool and pot as they are.

import { describe } from './controls.js';
import { HandOffStage } from '../stages/hand_off.js';
import { LineStage } from '../stages/line.js';
import { PaintStage } from '../stages/paint.js';
import { ProofStage } from '../stages/proof.js';
import { RoughStage } from '../stages/rough.js';
import { SealStage } from '../stages/seal.js';
import { ToneStage } from '../stages/tone.js';

const STAGES = { rough: RoughStage, line: LineStage, seal: SealStage, paint: PaintStage, tone: ToneStage, proof: ProofStage, 'hand-off': HandOffStage };

export const NAMES = Object.keys(STAGES);

export class Stops {
  constructor(app) {
    this.app = app;
    this.made = new Map();
    this.begun = new Set();
    // A link to a stop of this shot, wherever it stands, lights it; with a key held it opens a window as links do.
    document.addEventListener('click', (event) => {
      const link = event.target.closest?.('a[href]');
      if (!link || event.defaultPrevented || event.button || event.ctrlKey || event.metaKey || event.shiftKey || event.altKey) return;
      const { name, drawing } = this.named(new URL(link.href));
      if (!name) return;
      event.preventDefault();
      this.light(name, { drawing });
    });
    window.addEventListener('popstate', () => {
      const { name, drawing } = this.named(new URL(window.location.href));
      if (name) this.light(name, { drawing, keep: false });
    });
  }

  // The stop, and the drawing, that an address of this page names.
  named({ origin, pathname, searchParams, hash }) {
    const { id } = this.app.data.shot;
    const name = pathname.match(new RegExp(`^/shots/${id}/([a-z-]+)$`))?.[1];
    const level = Number(searchParams.get('level'));
    if (origin !== window.location.origin || !(name in STAGES) || (level && level !== this.app.level)) return {};
    return { name, drawing: Number(new URLSearchParams(hash.slice(1)).get('d')) || undefined };
  }

  of(name) {
    if (!this.made.has(name)) {
      const stage = new STAGES[name](this.app, name);
      describe(stage);
      this.made.set(name, stage);
      this.app.remember.stop(stage);
    }
    return this.made.get(name);
  }

  address(name) { return `/shots/${this.app.data.shot.id}/${name}?level=${this.app.level}#d=${this.app.current?.id ?? 0}`; }

  // The stop that the page was opened at.
  begin(name) {
    const stage = this.of(name);
    this.show(stage);
    return stage;
  }

  // What of the page belongs to a stop.
  show(stage) {
    const { name } = stage;
    const { body } = document;
    for (const other of NAMES) body.classList.toggle(`stage-${other}`, other === name);
    for (const other of this.made.values()) for (const part of ['tray', 'slip', 'tabs', 'head', 'body']) { other[part].hidden = other !== stage;
      other[part].removeAttribute('id'); }
    [stage.head.id, stage.body.id] = ['ledge-head', 'ledge-body'];
    this.app.data.stage = name;
    for (const link of document.querySelectorAll('.track a')) {
      const here = link.dataset.stage === name;
      if (!here) link.removeAttribute('aria-current');
      else { link.setAttribute('aria-current', 'page'); document.title = `${this.app.data.shot.name} · ${link.dataset.label} · Schoon`;
        document.getElementById('ledge').setAttribute('aria-label', `${link.dataset.label}, the whole run`); }
    }
  }

  // keep: whether the address follows.
  async light(name, { drawing, keep = true } = {}) {
    const { app } = this;
    const before = app.stage;
    if (drawing && drawing !== app.current.id && app.byId.has(drawing)) await app.go(drawing, true);
    if (before.name === name) return before;
    if (app.player.on) app.player.stop();
    const started = performance.now();
    before.left();
    before.unlit();
    app.tools.putDown();
    app.table.paper.wipe();
    const stage = this.of(name);
    app.stage = stage;
    this.show(stage);
    if (keep) window.history.pushState(null, '', this.address(name));
    app.tell('stop', stage);
    app.tools.build();
    app.tell('run');
    const drawn = app.table.draw();
    if (this.begun.has(name)) stage.entered(); else { this.begun.add(name); stage.start(); }
    performance.measure('stop', { start: started });
    await drawn;
    performance.measure('stop drawn', { start: started });
    return stage;
  }
}
