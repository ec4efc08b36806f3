// The tools of a stage in the tray, the one in the hand, and the pen on the paper.

import { notice } from '../api.js';
import { CARD, HELD, LENT, penDoes, shown } from '../keys.js';
import * as drawings from './drawings.js';
import { Fingers } from './fingers.js';
import { heldKeys } from './keyboard.js';
import { make } from './paper.js';
import { Rail } from './rail.js';

const $ = (id) => document.getElementById(id);
const nothing = () => {};
// A key that is down for less than this, ms, without a stroke is only touched.
const TOUCHED = 250;
// As many options of a tool are always in sight.
const FEW = 2;

// The frames in which the drawing on the table stands, the ones looked at first.
function frames({ data, current, frame }) {
  const spans = data.spans.filter(([, , id]) => id === current.id);
  const [first, count] = spans.find(([at, long]) => frame >= at && frame < at + long) ?? spans[0] ?? [];
  if (!first) return '';
  return count > 1 ? ` · frames ${first} to ${first + count - 1}` : ` · frame ${first}`;
}

// A tool is { id, label, key, pen } with `down(event, at)` that returns { move, up, cancel } or null (drop too, where what was
// interrupted is kept by cancel), and whatever of enter, leave, redrawn, width and double(event, at) it needs; or with
// `act()` alone, which is done at once.
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
    // A tool of another stop, for as long as its key is held: { tool, stage, key, … }.
    this.lent = null;
    this.fingers = new Fingers(app, this);
    this.rail = new Rail(app, this);
    // The rail is told when the ledge opens another view.
    app.on('ledge', () => this.rail.show());
    this.wirePen();
    $('slip-more').addEventListener('click', () => {
      localStorage.slip = localStorage.slip === 'open' ? '' : 'open';
      this.showSlip();
    });
    app.on('run', () => this.status());
  }

  // The tools of the stop that is lit; the one that was in the hand there is taken up, at first the first that draws.
  build() {
    const { stage } = this.app;
    if (!stage.built) this.make(stage);
    const first = stage.tool ?? stage.tools.find((t) => t.down);
    $('paper').setAttribute('class', '');
    if (first && this.app.current) this.use(first.id); else this.status();
  }

  // The tool in the hand is laid down, as another stop is lit.
  putDown() {
    this.giveBack();
    this.stroke?.cancel();
    [this.stroke, this.once, this.over] = [null, null, null];
    this.app.stage.tool = this.now;
    this.now?.leave?.();
    this.now = null;
  }

  make(stage) {
    stage.built = true;
    this.rail.build(stage);
    stage.options(stage.slip);
  }

  // Only what the tool in the hand can use.
  showSlip() {
    const { app, inHand, lent } = this;
    const owner = lent?.stage ?? app.stage;
    if (!owner.built) this.make(owner);
    for (const stage of app.stops.made.values()) stage.slip.hidden = stage !== owner;
    for (const node of owner.slip.querySelectorAll('[data-of]')) node.hidden = !node.dataset.of.split(' ').includes(inHand?.id);
    // Few options are in sight; many lie in a fold until they are wanted.
    const count = [...owner.slip.children].filter((node) => !node.hidden).length;
    const more = $('slip-more');
    more.hidden = count <= FEW;
    const open = count <= FEW || localStorage.slip === 'open';
    more.setAttribute('aria-expanded', String(open));
    $('slip').classList.toggle('folded', !open || !count);
  }

  use(id) {
    this.giveBack();
    const { stage } = this.app;
    const found = stage.tools.find((t) => t.id === id);
    if (!found) return;
    if (found.act) { found.act(); return; }
    if (this.now === found) found.again?.();
    else this.now?.leave?.();
    this.now = found;
    found.enter?.();
    stage.toolChanged();
    this.showSlip();
    this.rail.show();
    $('paper').setAttribute('class', `tool-${id}`);
    this.status();
  }

  // ---- tools of other stops

  // Where a tool of another stop can be had here: the tool and its stage.
  lender(key) {
    const { app } = this;
    const [name, id, where] = LENT[key] ?? [];
    if (!where?.includes(app.stage.name)) return null;
    const stage = app.stops.of(name);
    return { stage, tool: stage.tools.find((tool) => tool.id === id), key };
  }

  // Puts a tool of another stop into the hand; what was in it comes back when the key is let go. A key that is only touched
  // leaves it there until Esc, or until it is touched again. stays: it is there until then from the start.
  borrow(key, stays = false) {
    if (this.lent?.key === key) { this.giveBack(); return; }
    const found = this.lender(key);
    if (!found?.tool) return;
    this.giveBack();
    this.lent = { ...found, since: performance.now(), used: false, stays };
    found.tool.enter?.();
    document.body.classList.toggle('lends-pots', found.stage.patches === 'pots');
    this.app.tell('lent');
    $('paper').setAttribute('class', `tool-${found.tool.id}`);
    this.showLent();
    // What the tool works on has to be in sight.
    this.app.table.draw();
  }

  letGo(key) {
    const { lent } = this;
    if (lent?.key !== key || lent.stays) return;
    if (!lent.used && performance.now() - lent.since < TOUCHED) { lent.stays = true; this.status(); return; }
    if (this.stroke) lent.done = true; else this.giveBack();
  }

  giveBack() {
    const { lent } = this;
    if (!lent) return;
    this.lent = null;
    lent.tool.leave?.();
    document.body.classList.remove('lends-pots');
    this.app.tell('lent');
    $('paper').setAttribute('class', this.now ? `tool-${this.now.id}` : '');
    this.now?.redrawn?.();
    this.showLent();
    this.app.table.draw();
  }

  showLent() {
    this.showSlip();
    this.rail.show();
    this.status();
  }

  // The tool that the pen is.
  get inHand() { return this.lent?.tool ?? this.now; }

  says(text) {
    $('pen-now').textContent = text;
    $('slip').hidden = !text;
  }

  status() {
    const { app, lent } = this;
    const locked = app.levels.locked ? ` · ${app.data.shot.level} is locked` : '';
    const back = lent?.stays ? ' · Esc gives it back' : '';
    const { inHand } = this;
    this.says(inHand ? `${inHand.pen}${back}${locked}` : locked.slice(3));
    $('pen-key').textContent = inHand?.key ? shown(inHand.key) : '';
    $('here').textContent = `drawing ${app.current.number}${frames(app)}`;
    $('pen-keys').textContent = app.stage.keys;
  }

  at(event) { return this.app.table.view.toPaper(event.clientX, event.clientY); }

  wirePen() {
    const surface = $('surface');
    const lift = (how) => (event) => {
      if (this.fingers.up(event)) return;
      document.body.classList.remove('pen-down');
      const done = this.stroke;
      this.stroke = null;
      done?.[how](event);
      if (done && this.lent?.done) this.giveBack();
    };
    surface.addEventListener('pointerdown', (event) => { if (!this.fingers.down(event)) this.down(event); });
    surface.addEventListener('pointermove', (event) => {
      if (this.fingers.move(event)) return;
      if (this.stroke) this.stroke.move(event); else this.hover(event);
    });
    surface.addEventListener('pointerup', lift('up'));
    surface.addEventListener('pointercancel', lift('cancel'));
    surface.addEventListener('pointerleave', () => this.ring(null));
    surface.addEventListener('contextmenu', (event) => event.preventDefault());
    surface.addEventListener('dblclick', (event) => this.inHand?.double?.(event, this.at(event)));
  }

  // What the other end or the button of a pen is set to do: a key as it is meant, or nothing.
  penEnd(event) {
    if (event.pointerType !== 'pen') return '';
    if (event.button === 5 || event.buttons & 32) return penDoes('eraser');
    if (event.button === 2 || event.buttons & 2) return penDoes('barrel');
    return '';
  }

  // The tool of a key: the stop's own, else one that is lent.
  ofKey(key) {
    const own = (wanted) => this.app.stage.tools.find((tool) => tool.key === wanted && tool.down);
    // What takes away is the stop's own, or rubs out where it has none.
    return own(key) ?? this.lender(key)?.tool ?? (key === CARD.none ? own('v') : undefined);
  }

  down(event) {
    const end = this.penEnd(event);
    if (this.stroke || (event.button > 1 && !end && event.pointerType !== 'pen')) return;
    const { table, sync } = this.app;
    event.preventDefault();
    document.body.classList.add('pen-down');
    sync.undoes('drawings');
    $('paper').focus({ preventScroll: true });
    $('surface').setPointerCapture(event.pointerId);
    table.paper.settle();
    this.ring(null);
    const { once } = this;
    if (event.button === 1 || heldKeys.has(HELD.drag) || end === HELD.drag) this.stroke = dragging(table.view);
    else if (heldKeys.has(HELD.turn)) this.stroke = turning(table.view);
    else if (table.shown !== this.app.current) {
      // What one sees and what the pen changes are the same drawing.
      notice(table.shown ? `The pen waits: let go of the key to draw on drawing ${this.app.current.number}`
        : `The pen waits until drawing ${this.app.current.number} is read`);
    } else {
      this.once = null;
      const tool = (end && this.ofKey(end)) || this.inHand;
      if (this.lent) this.lent.used = true;
      // What lies on the paper to be dragged comes before the tool.
      const grip = once || this.over ? null : this.app.stage.grip?.(event, this.at(event));
      this.stroke = grip || (once || this.over || tool?.down?.bind(tool) || nothing)(event, this.at(event)) || null;
    }
  }

  // How wide the pen is where it hovers.
  ring(event) {
    const layer = this.app.table.paper.layers.hover;
    const wide = event && this.inHand?.width;
    if (!wide) { layer.replaceChildren(); return; }
    const [x, y] = this.at(event);
    if (!layer.firstChild) make('circle', {}, layer);
    for (const [name, value] of Object.entries({ cx: x, cy: y, r: wide / 2 })) layer.firstChild.setAttribute(name, value);
  }

  // The patch under the pen and its pot in the dock are marked.
  hover(event) {
    const { app } = this;
    this.ring(event);
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
