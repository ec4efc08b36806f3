// Playing the shot at its rate, with its holds, from pictures made beforehand.

import { notice } from '../api.js';
import { Levels } from './levels.js';

export class Player {
  constructor(app) { this.app = app; this.on = false; this.canvas = document.getElementById('screen'); }

  async toggle() {
    if (this.on) { this.stop(); return; }
    const { app } = this;
    const button = document.getElementById('play');
    button.textContent = 'Reading …';
    const look = app.stage.plays;
    const pictures = new Map();
    const stack = app.levels.all.filter((l) => app.levels.seen(l));
    const several = look !== 'rough' && (stack.length > 1 || stack[0]?.id !== app.data.shot.level_id);
    // Which picture each frame shows; frames that show the same share one.
    const shown = several ? this.together(stack, look) : this.alone(look);
    const read = async (url) => {
      const image = new Image();
      image.src = url;
      await image.decode();
      pictures.set(url, image);
    };
    try {
      await Promise.all([...new Set(shown.filter(Boolean))].map(read));
    } catch {
      notice('The shot could not be read for playing; try again', true);
      button.textContent = 'Play';
      return;
    }
    this.on = true;
    button.textContent = 'Stop';
    this.canvas.hidden = false;
    const { fps, frames, width, height } = app.data.shot;
    const box = this.canvas.getBoundingClientRect();
    const dots = window.devicePixelRatio || 1;
    this.canvas.width = box.width * dots;
    this.canvas.height = box.height * dots;
    const ink = this.canvas.getContext('2d');
    const scale = Math.min(this.canvas.width / width, this.canvas.height / height) * 0.94;
    const [wide, high] = [width * scale, height * scale];
    const area = [(this.canvas.width - wide) / 2, (this.canvas.height - high) / 2, wide, high];
    ink.fillStyle = getComputedStyle(document.getElementById('table')).backgroundColor;
    ink.fillRect(0, 0, this.canvas.width, this.canvas.height);
    const start = performance.now();
    let last = 0;
    const step = (now) => {
      if (!this.on) return;
      const frame = 1 + (Math.floor(((now - start) / 1000) * fps) % frames);
      if (frame !== last) {
        last = frame;
        const image = pictures.get(shown[frame]);
        if (image) ink.drawImage(image, ...area);
        else { ink.fillStyle = '#fff'; ink.fillRect(...area); }
        app.tools.says(`frame ${frame} of ${frames}`);
        this.canvas.dataset.frame = frame;
      }
      requestAnimationFrame(step);
    };
    requestAnimationFrame(step);
  }

  alone(look) {
    const { data, byId } = this.app;
    const shown = new Array(data.shot.frames + 1).fill(null);
    for (const [first, count, id] of data.spans) shown.fill(this.app.colours.viewUrl(byId.get(id), 960, look), first, first + count);
    return shown;
  }

  // The levels laid together as every export lays them.
  together(stack, look) {
    const { data } = this.app;
    const known = new Map();
    return Array.from({ length: data.shot.frames + 1 }, (_, frame) => {
      if (!frame) return null;
      const tags = stack.map((level) => this.app.levels.tag(level, Levels.at(level, frame)));
      if (!tags.some(Boolean)) return null;
      const name = tags.join('.');
      const levels = stack.map((l) => l.id).join(',');
      if (!known.has(name)) known.set(name, `/shots/${data.shot.id}/frames/${frame}.webp?w=960&look=${look}&levels=${levels}&v=${name}`);
      return known.get(name);
    });
  }

  stop() {
    this.on = false;
    this.canvas.hidden = true;
    document.getElementById('play').textContent = 'Play';
    this.app.tools.status();
  }
}
