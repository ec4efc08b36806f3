// A movie before it is taken in: its range is chosen by the pictures at both ends, every n-th of them.

const $ = (id) => document.getElementById(id);
const SOON = 400;

export class Movie {
  // box: what the server says of it. ready: told whether it can be taken in.
  constructor(box, form, ready) {
    Object.assign(this, { box, form, ready, count: 0, token: box.dataset.token, fps: Number(box.dataset.fps), over: false });
    for (const id of ['first', 'last', 'every']) $(id).addEventListener('input', () => this.show());
    for (const id of ['first', 'last']) $(`${id}-time`)
      .addEventListener('input', () => { $(id).value = Math.round(Number($(`${id}-time`).value) * this.fps) + 1; this.show(); });
    form.elements.fps?.addEventListener('change', () => this.show());
    ready(false);
    this.look();
  }

  end() { this.over = true; }

  async look() {
    while (!this.over) {
      let now;
      try { now = await (await fetch(this.box.dataset.watch)).json(); } catch { now = null; }
      if (now) {
        this.count = now.state === 'done' ? now.result : Math.max(0, now.done - 1);
        const bar = $('looking');
        if (now.total) Object.assign(bar, { max: now.total, value: now.done });
        $('looked').textContent = now.state === 'running' ? `Looking through it: ${now.done}${now.total ? ` of ${now.total}` : ''} pictures …` : '';
        if (now.state === 'done') { bar.hidden = true; $('looked').textContent = `${this.count} pictures.`; $('last').value = this.count; this.show();
          this.ready(this.count > 0); return; }
        if (now.state !== 'running') { bar.hidden = true; $('looked').textContent = now.message || now.error || 'It could not be looked through'; return; }
        this.show();
      }
      await new Promise((go) => { setTimeout(go, SOON); });
    }
  }

  number(id) { return Math.max(1, Math.round(Number($(id).value) || 1)); }

  show() {
    if (!this.count) return;
    for (const id of ['first', 'last']) {
      const number = Math.min(this.number(id), this.count);
      $(id).max = this.count;
      const url = `/take-in/${this.token}/small/${number}.jpg`;
      if ($(`${id}-seen`).getAttribute('src') !== url) $(`${id}-seen`).src = url;
      if (document.activeElement !== $(`${id}-time`)) $(`${id}-time`).value = ((number - 1) / this.fps).toFixed(2);
    }
    const every = this.number('every');
    const taken = Math.max(0, Math.floor((Math.min(this.number('last'), this.count) - this.number('first')) / every) + 1);
    const rate = Number(this.form.elements.fps?.value) || this.fps;
    const held = Math.max(1, Math.round((every * rate) / this.fps));
    $('movie-says').textContent = `${taken} picture${taken === 1 ? '' : 's'}, each held ${held} frame${held === 1 ? ''
      : 's'}: ${taken * held} frames, ${((taken * held) / rate).toFixed(2)} s.`;
  }
}
