// Time from the table: an empty sheet behind the drawing that lies there, and its hold a frame longer or shorter.

import { notice, post } from '../api.js';
import { change } from '../edits/queue.js';
import { fill, html } from '../dom.js';

const $ = (id) => document.getElementById(id);

export class Span {
  constructor(app) {
    this.app = app;
    this.box = $('span-box');
  }

  // Where the drawing on the table stands: [first, count], at the frame that is looked at if it stands there.
  get here() {
    const { data, current, frame } = this.app;
    const own = data.spans.filter(([, , id]) => id === current.id);
    const found = own.find(([first, count]) => frame >= first && frame < first + count) ?? own[0];
    if (!found) notice(`Drawing ${current.number} stands in no frame yet; put it in the sheet first`);
    return found;
  }

  // An empty sheet behind it, held as long as it is where there is room, laid on the table.
  async sheet() {
    const { app } = this;
    const found = this.here;
    if (!found) return;
    const [first, count] = found;
    const at = app.data.run.indexOf(app.current);
    // A hold of two frames and more gives half of its frames; a single one moves what follows along.
    const content = { do: 'insert', level: app.level, first, last: first + count - 1, count: 1, between: false, hold: count > 1 ? null : 1 };
    await this.do(content, async (time) => {
      await app.sync.refresh();
      const made = time.made?.[0] ?? app.data.run[at + 1]?.id;
      if (made) await app.go(made, true);
      notice(`Drawing ${app.current.number}: an empty sheet`);
    });
  }

  // by: 1 a frame longer, -1 shorter; what follows moves along.
  async longer(by) {
    const { app } = this;
    const found = this.here;
    if (!found) return;
    const [first, count] = found;
    if (count + by < 1) { notice(`Drawing ${app.current.number} stands for one frame already`); return; }
    const content = { do: 'stretch', levels: [app.level], first, last: first + count - 1, frames: count + by, push: true };
    await this.do(content, (time) => {
      app.sync.take(time);
      notice(`Drawing ${app.current.number}: ${count + by} frame${count + by === 1 ? '' : 's'}`);
    });
  }

  do(content, then) { return this.app.sync.begin(this.tried(content, then)); }

  // Asks first where something would fall off the end: the shot can grow by what is missing instead.
  async tried(content, then) {
    const { app } = this;
    const { shot } = app.data;
    try {
      const tried = await post(`/api/times/${shot.id}/try`, { do: content });
      const lost = Object.values(tried.lost ?? {}).flat();
      let grow = false;
      if (lost.length) {
        const numbers = lost.map((id) => app.byId.get(Number(id))?.number ?? '?').join(', ');
        const answer = await this.ask(`The shot is full: drawing${lost.length > 1 ? 's' : ''} ${numbers} would fall off its end.`,
          [[`The shot grows by ${tried.missing}`, 'grow'], ['The end is pushed off', 'push'], ['Leave it', '']]);
        if (!answer) return;
        grow = answer === 'grow';
      }
      const { do: what, ...fields } = content;
      const time = await change('times', shot.id, what, { ...fields, grow });
      if (time.again) await app.sync.refresh(); else await then(time);
    } catch (error) { notice(error.message, true); }
  }

  ask(words, choices) {
    return new Promise((go) => {
      fill(this.box, html`<p>${words}</p><div>${choices.map(([said, answer], k) => html`<button data-answer="${answer}"
        class="${k ? '' : 'main'}">${said}</button>`)}</div>`);
      const done = (answer) => { this.box.close(); go(answer); };
      for (const button of this.box.querySelectorAll('button')) button.addEventListener('click', () => done(button.dataset.answer));
      this.box.addEventListener('cancel', () => go(''), { once: true });
      this.box.showModal();
      this.box.querySelector('button').focus();
    });
  }
}
