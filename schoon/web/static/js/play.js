// Playing the shot at its rate, with its holds, from pictures made beforehand.

import { notice } from './api.js';
import { Levels } from './levels.js';

export class Player {
  constructor(app) { this.app = app; this.on = false; this.canvas = document.getElementById('screen'); }

  async toggle() {
    if (this.on) { this.stop(); return; }
    const { app } = this;
    const button = document.getElementById('play');
    button.textContent = 'Reading …';
    const look = app.stage === 'rough' ? 'rough' : app.stage === 'line' || app.stage === 'seal' ? 'line' : 'best';
    const pictures = new Map();
    const stack = app.levels.all.filter((l) => app.levels.seen(l));
    const several = stack.length > 1 && look !== 'rough';
    const read = async (id, url) => {
      const image = new Image();
      image.src = url;
      await image.decode();
      pictures.set(id, image);
    };
    try {
      const own = [...new Set(app.data.spans.map((s) => s[2]))].map((id) => [id, app.viewUrl(app.byId.get(id), 960, look)]);
      const all = stack.flatMap((l) => Object.keys(l.drawn).map((id) => [Number(id), app.levels.url(l, id, 960, look)]));
      await Promise.all((several ? all : own).map(([id, url]) => read(id, url)));
    } catch {
      notice('The shot could not be read for playing; try again', true);
      button.textContent = 'Play';
      return;
    }
    this.on = true;
    button.textContent = 'Stop';
    this.canvas.hidden = false;
    const { fps, frames, width, height } = app.data.shot;
    const shown = new Array(frames + 1).fill(null);
    for (const [first, count, id] of app.data.spans) shown.fill(id, first, first + count);
    const box = this.canvas.getBoundingClientRect();
    const dots = window.devicePixelRatio || 1;
    this.canvas.width = box.width * dots;
    this.canvas.height = box.height * dots;
    const ink = this.canvas.getContext('2d');
    const scale = Math.min(this.canvas.width / width, this.canvas.height / height) * 0.94;
    const area = [(this.canvas.width - width * scale) / 2, (this.canvas.height - height * scale) / 2, width * scale, height * scale];
    ink.fillStyle = getComputedStyle(document.getElementById('table')).backgroundColor;
    ink.fillRect(0, 0, this.canvas.width, this.canvas.height);
    const start = performance.now();
    let last = 0;
    const step = (now) => {
      if (!this.on) return;
      const frame = 1 + (Math.floor(((now - start) / 1000) * fps) % frames);
      if (frame !== last) {
        last = frame;
        const now = several ? stack.map((l) => pictures.get(Levels.at(l, frame))) : [pictures.get(shown[frame])];
        if (several) { ink.fillStyle = '#fff'; ink.fillRect(...area); }
        for (const image of now) if (image) ink.drawImage(image, ...area);
        app.penSays(`frame ${frame} of ${frames}`);
        this.canvas.dataset.frame = frame;
      }
      requestAnimationFrame(step);
    };
    requestAnimationFrame(step);
  }

  stop() {
    this.on = false;
    this.canvas.hidden = true;
    document.getElementById('play').textContent = 'Play';
    this.app.showStatus();
  }
}
