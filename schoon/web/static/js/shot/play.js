// Playing the shot at its rate, with its holds, from pictures made beforehand.

import { notice } from '../api.js';
import { Levels } from './levels.js';

export class Player {
  constructor(app) {
    this.app = app;
    this.on = false;
    this.canvas = document.getElementById('screen');
    this.pictures = new Map();
    // What is tried in the sheet is seen at once.
    app.on('time', () => { if (this.on) this.read(); });
  }

  async toggle() {
    if (this.on) { this.stop(); return; }
    document.getElementById('play').textContent = 'Reading …';
    if (!await this.read()) { document.getElementById('play').textContent = 'Play'; return; }
    this.on = true;
    document.getElementById('play').textContent = 'Stop';
    this.canvas.hidden = false;
    document.body.classList.add('playing');
    this.run();
  }

  // Which picture each frame shows; frames that show the same share one. Resolves to whether all of them are there.
  async read() {
    const { app } = this;
    const look = app.stage.plays;
    const stack = app.levels.all.filter((l) => app.levels.seen(l));
    const [only] = stack;
    const plain = stack.length < 2 && only?.id === app.data.shot.level_id && only.kind === 'drawings' && !only.places.length && !app.data.framing.fields.length;
    const several = look !== 'rough' && !plain;
    const shown = several ? this.together(stack, look) : this.alone(look);
    const one = async (url) => {
      const image = new Image();
      image.src = url;
      await image.decode();
      this.pictures.set(url, image);
    };
    try {
      await Promise.all([...new Set(shown.filter(Boolean))].filter((url) => !this.pictures.has(url)).map(one));
    } catch {
      notice('The shot could not be read for playing; try again', true);
      return false;
    }
    const wanted = new Set(shown);
    for (const url of [...this.pictures.keys()]) if (!wanted.has(url)) this.pictures.delete(url);
    this.shown = shown;
    return true;
  }

  run() {
    const { app, canvas } = this;
    const { width, height } = app.data.shot;
    const box = canvas.getBoundingClientRect();
    const dots = window.devicePixelRatio || 1;
    Object.assign(canvas, { width: box.width * dots, height: box.height * dots });
    const ink = canvas.getContext('2d');
    const scale = Math.min(canvas.width / width, canvas.height / height) * 0.94;
    const [wide, high] = [width * scale, height * scale];
    const area = [(canvas.width - wide) / 2, (canvas.height - high) / 2, wide, high];
    ink.fillStyle = getComputedStyle(document.getElementById('table')).backgroundColor;
    ink.fillRect(0, 0, canvas.width, canvas.height);
    const start = performance.now();
    let last = 0;
    const step = (now) => {
      if (!this.on) return;
      const { fps, frames } = app.data.shot;
      const frame = 1 + (Math.floor(((now - start) / 1000) * fps) % frames);
      if (frame !== last) {
        last = frame;
        const image = this.pictures.get(this.shown[frame]);
        if (image) ink.drawImage(image, ...area);
        else { ink.fillStyle = '#fff'; ink.fillRect(...area); }
        app.tools.says(`frame ${frame} of ${frames}`);
        canvas.dataset.frame = frame;
      }
      requestAnimationFrame(step);
    };
    requestAnimationFrame(step);
  }

  alone(look) {
    const { data, byId } = this.app;
    const shown = new Array(data.shot.frames + 1).fill(null);
    for (const [first, count, id] of data.spans) shown.fill(byId.has(id) ? this.app.colours.viewUrl(byId.get(id), 960, look) : null, first, first + count);
    return shown;
  }

  // The levels laid together as every export lays them, through the framing.
  together(stack, look) {
    const { app } = this;
    const { data } = app;
    const moves = data.framing.fields.length > 0 || stack.some((level) => level.places.length);
    return Array.from({ length: data.shot.frames + 1 }, (_, frame) => {
      const at = frame ? stack.map((level) => [Levels.at(level, frame), app.levels.tag(level, Levels.at(level, frame), moves ? frame : 0)]).filter(([, tag]) => tag) : [];
      if (!at.length) return null;
      const name = `${at.map(([, tag]) => tag).join('.')}${moves ? `.${data.framing.fields[frame - 1] ?? ''}` : ''}`;
      return `/shots/${data.shot.id}/frames/together.webp?w=960&look=${look}&drawings=${at.map(([id]) => id).join(',')}${moves ? `&frame=${frame}` : ''}&v=${name}`;
    });
  }

  stop() {
    this.on = false;
    this.canvas.hidden = true;
    document.body.classList.remove('playing');
    document.getElementById('play').textContent = 'Play';
    this.app.tools.status();
  }
}
