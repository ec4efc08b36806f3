// A first shot in ten steps: says one thing to do, points at what does it, and sees when it is done. It never stands in the
// way, and can be left and taken up again.

import { fill, html } from '../dom.js';
import { shown } from '../keys.js';

const $ = (id) => document.getElementById(id);
const EVERY = 600;
const sum = (run, of) => run.reduce((n, d) => n + (Number(d[of]) || 0), 0);

// [stop, what to do, where it is, whether it is done]. now: the page; then: what was counted when the step began.
const every = (app, of) => app.data.run.every((d) => d[of]);
const STEPS = [
  ['', () => `Flip through the run: ${shown('d')} goes a drawing on, ${shown('a')} back. Go to the third one.`, '#near',
    ({ app, then }) => app.current !== then.current && app.data.run.indexOf(app.current) > 1],
  ['', () => 'Play it: press Space, and again to stop.', '#play', ({ app }) => app.player.on],
  ['line', () => 'Clean the roughs. Lines that a program is not sure of turn ochre.', '#next-step', ({ app }) => every(app, 'strokes')],
  ['seal', () => `Judge three gaps in the lines: ${shown('j')} shuts one, ${shown('k')} leaves it open.`, '#ledge-body',
    ({ count, then }) => !count.gaps || count.gaps <= then.gaps - 3],
  ['paint', () => `Take a pot in the dock and pour it into one form (${shown('f')}, then press on the paper).`, '#pots',
    ({ count, then }) => count.hand > then.hand || count.painted > then.painted],
  ['paint', () => 'Let the others be painted: from the model, or from what you have painted.', '#next-step', ({ app }) => every(app, 'painted')],
  ['paint', () => `Answer a question: ${shown('j')} takes the first pot for all that is on the card.`, '#ledge-body',
    ({ count, then }) => !count.unsure || count.unsure < then.unsure],
  ['tone', () => 'Drag the sun to where the light comes from, then shade the run.', '#next-step', ({ app }) => every(app, 'toned')],
  ['proof', () => `Look at what was found: ${shown('j')} mends it, ${shown('x')} waves it through.`, '#ledge-body',
    ({ findings, then }) => findings === 0 || findings < (then.findings ?? 0)],
  ['hand-off', () => 'Hand it off: tick “work copy”, and save the pictures or a GIF.', '#ledge',
    ({ made, then }) => made > (then.made ?? Infinity)],
];

export class First {
  constructor(app) {
    this.app = app;
    this.store = `first-${app.data.shot.id}`;
    this.box = $('first');
    // Asked for by the address it begins, or goes on where it was left.
    if (new URLSearchParams(window.location.search).has('first')) {
      if (!(Number(localStorage[this.store]) < STEPS.length)) localStorage[this.store] = '0';
      delete localStorage[`${this.store}-left`];
    }
    this.at = Number(localStorage[this.store] ?? -1);
    if (this.on && !localStorage[`${this.store}-left`]) this.begin();
  }

  get on() { return this.at >= 0 && this.at < STEPS.length; }

  get count() {
    const { run } = this.app.data;
    return { gaps: sum(run, 'open_gaps'), unsure: sum(run, 'unsure'), painted: sum(run, 'painted'), hand: sum(run, 'hand') };
  }

  begin() {
    const { app } = this;
    this.then = { ...this.count, current: app.current };
    this.show();
    this.timer ??= setInterval(() => this.look(), EVERY);
  }

  look() {
    const { app, then } = this;
    if (!this.on) return;
    // Counted as soon as they are known.
    const findings = app.stage.name === 'proof' && app.stage.cards.all ? app.stage.findings : Infinity;
    const made = app.stage.name === 'hand-off' ? app.stage.made.length : 0;
    if (findings < Infinity) then.findings ??= findings;
    if (app.stage.name === 'hand-off') then.made ??= made;
    const [, , , done] = STEPS[this.at];
    if (done({ app, then, count: this.count, findings, made })) this.go(this.at + 1); else this.point();
  }

  go(at) {
    this.at = at;
    localStorage[this.store] = String(at);
    if (this.on) { this.begin(); return; }
    clearInterval(this.timer);
    this.timer = null;
    this.point();
    fill(this.box, html`<p><b>That is a shot.</b> The guide says the rest: ${shown('?')} opens the page of the stop you are at.</p>
      <p><button data-first="leave">Close</button></p>`);
    this.wire();
  }

  show() {
    const [stop, words] = STEPS[this.at];
    fill(this.box, html`<p><b class="number">${this.at + 1} of ${STEPS.length}</b> ${words()}</p>
      <p>${stop ? html`<button data-first="there">Take me there</button>` : ''}<button data-first="on">Skip</button>
        <button data-first="leave">Leave</button></p>`);
    this.wire();
    this.point();
  }

  wire() {
    const { app, box } = this;
    box.hidden = false;
    const on = (what, does) => box.querySelector(`[data-first="${what}"]`)?.addEventListener('click', does);
    on('there', async () => {
      const [stop, , where] = STEPS[this.at];
      await app.stops.light(stop);
      if (app.room.state === 'folded' && where !== '#next-step') app.room.ledge('open');
      this.point();
    });
    on('on', () => this.go(this.at + 1));
    on('leave', () => { this.leave(); });
  }

  // Nothing points any more; it is taken up again from the guide.
  leave() {
    clearInterval(this.timer);
    this.timer = null;
    this.box.hidden = true;
    this.point(true);
    localStorage[`${this.store}-left`] = 'yes';
  }

  point(off = false) {
    for (const node of document.querySelectorAll('.pointed')) node.classList.remove('pointed');
    if (off || !this.on) return;
    const [stop, , where] = STEPS[this.at];
    const elsewhere = stop && this.app.stage.name !== stop;
    const node = document.querySelector(elsewhere ? `.track [data-stage="${stop}"]` : where);
    node?.classList.add('pointed');
  }
}
