// The room round the paper: the ledge folded, open or large, the wings, and what of the paper is framed.

import { notice } from '../api.js';

const $ = (id) => document.getElementById(id);

// Stages whose ledge holds the work itself; elsewhere the paper comes first.
const FIRST = { seal: 'open', proof: 'open', 'hand-off': 'large' };
const OPEN = 214;
const LEAST = 120;
const BESIDE = 320;
const MARGIN = 1.12;

export class Room {
  constructor(app) {
    this.app = app;
    this.height = Number(localStorage.ledgeHeight) || OPEN;
    this.atStop();
    app.on('stop', () => this.atStop());
    this.wings(localStorage.wings !== 'away');
    $('ledge-fold').addEventListener('click', () => this.turnLedge());
    $('ledge').addEventListener('click', (event) => { if (event.target.closest('[role="tab"]') && this.state === 'folded') this.ledge('open'); });
    $('see-figure').addEventListener('click', () => this.figure());
    $('see-wings').addEventListener('click', () => this.wings(document.body.classList.contains('no-wings')));
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
    body.style.setProperty('--ledge', state === 'folded' ? 'auto' : `${height}px`);
    $('ledge-fold').setAttribute('aria-expanded', String(state !== 'folded'));
    $('ledge-fold').firstChild.textContent = state === 'folded' ? 'Open ' : 'Fold ';
    const says = { valuenow: Math.round(height), valuemin: LEAST, valuemax: Math.round(this.most) };
    for (const [name, value] of Object.entries(says)) $('ledge-grip').setAttribute(`aria-${name}`, value);
    if (keep) localStorage[`ledge-${this.stage}`] = state;
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
      const move = (e) => this.resize(window.innerHeight - 28 - e.clientY);
      grip.addEventListener('pointermove', move);
      grip.addEventListener('pointerup', () => grip.removeEventListener('pointermove', move), { once: true });
    });
    grip.addEventListener('keydown', (event) => {
      const now = $('ledge').getBoundingClientRect().height;
      if (event.key === 'ArrowUp') this.resize(now + 24);
      if (event.key === 'ArrowDown') this.resize(now - 24);
    });
  }

  wings(on) {
    document.body.classList.toggle('no-wings', !on);
    $('see-wings').setAttribute('aria-pressed', String(on));
    localStorage.wings = on ? 'seen' : 'away';
    const { view } = this.app.table;
    if (view.fitted) view.fit();
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
