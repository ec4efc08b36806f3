// How a prop looks from a side: turned by dragging, opened by a slider.

import { notice } from '../api.js';

const PER_PX = 0.6;
const SIZE = 380;

export class Look {
  constructor(page) {
    this.page = page;
    this.right = 24;
    this.down = 14;
    this.img = document.getElementById('prop-look');
    this.slider = document.getElementById('prop-opened');
    this.slider.addEventListener('input', () => this.again());
    document.getElementById('prop-front').addEventListener('click', () => { this.right = 0; this.down = 0; this.again(); });
    this.img.addEventListener('pointerdown', (event) => this.down_(event));
    this.img.tabIndex = 0;
    this.img.addEventListener('keydown', (event) => {
      const [right, down] = { ArrowLeft: [-10, 0], ArrowRight: [10, 0], ArrowUp: [0, -10], ArrowDown: [0, 10] }[event.key] ?? [0, 0];
      if (!right && !down) return;
      event.preventDefault();
      this.right += right;
      this.down += down;
      this.again();
    });
  }

  down_(event) {
    event.preventDefault();
    this.img.setPointerCapture(event.pointerId);
    const [x, y, right, down] = [event.clientX, event.clientY, this.right, this.down];
    const move = (e) => { this.right = right + (e.clientX - x) * PER_PX; this.down = down + (e.clientY - y) * PER_PX; this.again(); };
    const up = () => { this.img.removeEventListener('pointermove', move); };
    this.img.addEventListener('pointermove', move);
    this.img.addEventListener('pointerup', up, { once: true });
    this.img.addEventListener('pointercancel', up, { once: true });
  }

  // One picture at a time; the last side that was asked for is the one that is shown.
  async again() {
    if (this.busy) { this.waits = true; return; }
    const { forms, id } = this.page;
    this.img.hidden = !forms.length;
    if (!forms.length) return;
    this.busy = true;
    const query = new URLSearchParams({ right: this.right.toFixed(1), down: this.down.toFixed(1), opened: this.slider.value, size: String(SIZE) });
    try {
      const response = await fetch(`/api/props/${id}/look?${query}`);
      if (!response.ok) throw new Error((await response.json()).error);
      const url = URL.createObjectURL(await response.blob());
      URL.revokeObjectURL(this.img.src);
      this.img.src = url;
    } catch (error) { notice(error.message, true); }
    this.busy = false;
    if (this.waits) { this.waits = false; this.again(); }
  }
}
