// The room round the paper: the ledge folded, open or large, the run under the paper, the dock, and what of the paper is framed.

import { notice } from '../api.js';

const $ = (id) => document.getElementById(id);

// Stages whose ledge holds the work itself; elsewhere the paper comes first.
const FIRST = { seal: 'open', proof: 'open', 'hand-off': 'open' };
const OPEN = 214;
const LEAST = 120;
const BESIDE = 320;
const MARGIN = 1.12;
// Room round a figure when a shot is opened, and the share of the paper, in width and in height, below which it is framed.
const AIR = 1.35;
const FAR = 0.8;

export class Room {
  constructor(app) {
    this.app = app;
    this.height = Number(localStorage.ledgeHeight) || OPEN;
    this.atStop();
    app.on('stop', () => this.atStop());
    this.strip(localStorage.strip !== 'away');
    this.dock(localStorage.dock !== 'folded');
    $('ledge-fold').addEventListener('click', () => this.turnLedge());
    $('views').addEventListener('click', (event) => { if (event.target.closest('[role="tab"]') && this.state === 'folded') this.ledge('open'); });
    $('see-figure').addEventListener('click', () => this.figure());
    $('see-strip').addEventListener('click', () => this.strip(document.body.classList.contains('no-strip')));
    $('dock-open').addEventListener('click', () => this.dock(document.body.classList.contains('dock-folded')));
    this.wireGrip();
  }

  // Each stop has its ledge folded or open, as it was left.
  atStop() {
    this.stage = this.app.data.stage;
    this.ledge(localStorage[`ledge-${this.stage}`] ?? FIRST[this.stage] ?? 'folded', false);
  }

  get most() { return Math.max(LEAST, window.innerHeight - BESIDE); }

  turnLedge() { this.ledge(this.state === 'folded' ? 'open' : 'folded'); }

  largeLedge() { this.ledge(this.state === 'large' ? 'open' : 'large'); }

  // state: folded to its head, open, or large, to see the whole run.
  ledge(state, keep = true) {
    this.state = state;
    const { body } = document;
    body.classList.toggle('ledge-folded', state === 'folded');
    body.classList.toggle('ledge-large', state === 'large');
    const height = state === 'large' ? this.most : Math.min(this.most, this.height);
    body.style.setProperty('--ledge', state === 'folded' ? '0px' : `${height}px`);
    $('ledge-fold').setAttribute('aria-expanded', String(state !== 'folded'));
    body.classList.toggle('short', state === 'large');
    const says = { valuenow: Math.round(height), valuemin: LEAST, valuemax: Math.round(this.most) };
    for (const [name, value] of Object.entries(says)) $('ledge-grip').setAttribute(`aria-${name}`, value);
    if (keep) localStorage[`ledge-${this.stage}`] = state;
    this.app.tell('ledge');
  }

  resize(height) {
    this.height = Math.min(this.most, Math.max(LEAST, height));
    localStorage.ledgeHeight = Math.round(this.height);
    this.ledge('open');
  }

  wireGrip() {
    const grip = $('ledge-grip');
    grip.addEventListener('pointerdown', (event) => {
      grip.setPointerCapture(event.pointerId);
      const move = (e) => this.resize(window.innerHeight - 36 - e.clientY);
      grip.addEventListener('pointermove', move);
      grip.addEventListener('pointerup', () => grip.removeEventListener('pointermove', move), { once: true });
    });
    grip.addEventListener('keydown', (event) => {
      const now = $('ledge').getBoundingClientRect().height;
      if (event.key === 'ArrowUp') this.resize(now + 24);
      if (event.key === 'ArrowDown') this.resize(now - 24);
    });
  }

  strip(on) {
    document.body.classList.toggle('no-strip', !on);
    $('see-strip').setAttribute('aria-pressed', String(on));
    localStorage.strip = on ? 'seen' : 'away';
  }

  // Folded, it is a strip of swatches.
  dock(on) {
    document.body.classList.toggle('dock-folded', !on);
    $('dock-open').setAttribute('aria-expanded', String(on));
    localStorage.dock = on ? 'open' : 'folded';
  }

  // As a shot is opened: the figure with some air where the paper is much larger than it is.
  opened() {
    const { app } = this;
    const { box } = app.current;
    const [w, h] = app.table.view.size;
    if (box && (box[2] - box[0]) * AIR < w * FAR && (box[3] - box[1]) * AIR < h * FAR) app.table.view.frame(box, AIR);
    else app.table.view.fit();
  }

  // What is drawn in this drawing; again at once: in the whole run.
  figure() {
    const { app } = this;
    const whole = this.framed === app.current.id;
    const boxes = (whole ? app.data.run : [app.current]).map((d) => d.box).filter(Boolean);
    if (!boxes.length) { notice('Nothing is drawn here yet; there is no figure to look at'); return; }
    this.framed = whole ? null : app.current.id;
    const least = (k) => Math.min(...boxes.map((box) => box[k]));
    const most = (k) => Math.max(...boxes.map((box) => box[k]));
    app.table.view.frame([least(0), least(1), most(2), most(3)], MARGIN);
    notice(whole ? 'The figure in the whole run' : '');
  }
}
