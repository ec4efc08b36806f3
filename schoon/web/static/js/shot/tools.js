// The tools of a stage in the tray, the one in the hand, and the pen on the paper.

import { notice } from '../api.js';
import { fill, html } from '../dom.js';
import { HELD } from '../keys.js';
import * as drawings from './drawings.js';
import { heldKeys } from './keyboard.js';

const $ = (id) => document.getElementById(id);
const nothing = () => {};

// A tool is { id, label, key, pen } with `down(event, at)` that returns { move, up, cancel } or null, and whatever of
// enter, leave, redrawn and double(event, at) it needs; or with `act()` alone, which is done at once.
export class Tools {
  constructor(app) {
    this.app = app;
    this.now = null;
    // What the next stroke of the pen is taken for, whatever the tool.
    this.once = null;
    // What strokes are taken for as long as it is there.
    this.over = null;
    this.stroke = null;
    this.under = null;
    this.wirePen();
    app.on('run', () => this.status());
  }

  // The tools of the stop that is lit; the one that was in the hand there is taken up, at first the first that draws.
  build() {
    const { stage } = this.app;
    if (!stage.built) this.make(stage);
    $('tray').hidden = !stage.tray.children.length;
    const first = stage.tool ?? stage.tools.find((t) => t.down);
    $('paper').setAttribute('class', '');
    if (first && this.app.current) this.use(first.id); else this.status();
  }

  // The tool in the hand is laid down, as another stop is lit.
  putDown() {
    this.stroke?.cancel();
    [this.stroke, this.once, this.over] = [null, null, null];
    this.app.stage.tool = this.now;
    this.now?.leave?.();
    this.now = null;
  }

  make(stage) {
    stage.built = true;
    for (const item of stage.tools) {
      const button = document.createElement('button');
      button.dataset.tool = item.id;
      fill(button, html`${item.label} <kbd>${item.key.toUpperCase()}</kbd>`);
      button.setAttribute('aria-pressed', 'false');
      button.addEventListener('click', () => this.use(item.id));
      stage.tray.append(button);
    }
    stage.extra(stage.tray);
  }

  use(id) {
    const { stage } = this.app;
    const found = stage.tools.find((t) => t.id === id);
    if (!found) return;
    if (found.act) { found.act(); return; }
    if (this.now === found) found.again?.();
    else this.now?.leave?.();
    this.now = found;
    found.enter?.();
    stage.toolChanged();
    for (const button of stage.tray.querySelectorAll('[data-tool]')) button.setAttribute('aria-pressed', String(button.dataset.tool === id));
    $('paper').setAttribute('class', `tool-${id}`);
    this.status();
  }

  says(text) { $('pen-now').textContent = text; }

  status() {
    const { app } = this;
    const locked = app.levels.locked ? ` · ${app.data.shot.level} is locked` : '';
    this.says(`${this.now?.pen || app.stage.pen} · drawing ${app.current.number}${locked}`);
    $('pen-keys').textContent = app.stage.keys;
  }

  at(event) { return this.app.table.view.toPaper(event.clientX, event.clientY); }

  wirePen() {
    const surface = $('surface');
    const lift = (how) => () => { const done = this.stroke; this.stroke = null; done?.[how](); };
    surface.addEventListener('pointerdown', (event) => this.down(event));
    surface.addEventListener('pointermove', (event) => { if (this.stroke) this.stroke.move(event); else this.hover(event); });
    surface.addEventListener('pointerup', lift('up'));
    surface.addEventListener('pointercancel', lift('cancel'));
    surface.addEventListener('dblclick', (event) => this.now?.double?.(event, this.at(event)));
  }

  down(event) {
    if (this.stroke || event.button > 1) return;
    const { table, sync } = this.app;
    event.preventDefault();
    sync.undoes('drawings');
    $('paper').focus({ preventScroll: true });
    $('surface').setPointerCapture(event.pointerId);
    table.paper.settle();
    const { once } = this;
    if (event.button === 1 || heldKeys.has(HELD.drag)) this.stroke = dragging(table.view);
    else if (heldKeys.has(HELD.turn)) this.stroke = turning(table.view);
    else if (table.shown !== this.app.current) {
      // What one sees and what the pen changes are the same drawing.
      notice(table.shown ? `The pen waits: let go of the key to draw on drawing ${this.app.current.number}` : `The pen waits until drawing ${this.app.current.number} is read`);
    } else {
      this.once = null;
      this.stroke = (once || this.over || this.now?.down?.bind(this.now) || nothing)(event, this.at(event)) || null;
    }
  }

  // The patch under the pen and its pot in the dock are marked.
  hover(event) {
    const { app } = this;
    if (!app.stage.hover) return;
    const n = app.stage.hover(event, this.at(event));
    if (n === this.under) return;
    app.table.paper.patch(this.under)?.classList.remove('under');
    this.under = n;
    app.table.paper.patch(n)?.classList.add('under');
    const pot = drawings.paintNow(app.current)?.paint[n]?.pot;
    for (const item of document.querySelectorAll('#pots [data-pot]')) item.classList.toggle('under', Number(item.dataset.pot) === pot);
  }
}

const dragging = (view) => ({ move: (e) => view.move(e.movementX, e.movementY), up: nothing, cancel: nothing });

function turning(view) {
  const move = (e) => {
    const box = view.element.getBoundingClientRect();
    view.around(box.left + box.width / 2, box.top + box.height / 2, 1, e.movementX * 0.006);
  };
  return { move, up: nothing, cancel: nothing };
}
