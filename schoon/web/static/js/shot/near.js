// The run under the paper: the drawings before and after the one on the table, in their order and at one scale. A press lays
// one on the table; dragged along, the run goes by as fingers flip through paper.

import { fill, html } from '../dom.js';

const $ = (id) => document.getElementById(id);
const WIDTH = 300;
// Px between two of them.
const GAP = 8;

export class Near {
  constructor(app) {
    this.app = app;
    this.box = $('near');
    for (const what of ['run', 'colours']) app.on(what, () => this.show());
    new ResizeObserver(() => this.show()).observe(this.box);
    this.box.addEventListener('pointerdown', (event) => this.scrub(event));
  }

  // How many there is room for, as many on each side.
  get count() {
    const { width, height } = this.app.data.shot;
    const { clientWidth, clientHeight } = this.box;
    const wide = (clientHeight - 2 * GAP) * (width / height);
    return clientHeight < 40 ? 0 : Math.max(1, Math.floor((clientWidth - GAP) / (Math.max(40, wide) + GAP)));
  }

  // The drawings that are seen: round the one on the table; at the ends of the run it leaves the middle.
  get seen() {
    const { app, count } = this;
    const { run } = app.data;
    if (app.cycle) {
      const half = Math.min(Math.floor((count - 1) / 2), Math.floor((app.cycle.length - 1) / 2));
      return Array.from({ length: 2 * half + 1 }, (_, k) => (k === half ? app.current : app.away(k - half)));
    }
    const at = run.indexOf(app.current);
    const from = Math.max(0, Math.min(at - Math.floor((count - 1) / 2), run.length - count));
    return run.slice(from, from + count);
  }

  show() {
    const { app, box } = this;
    if (!app.current || !box.clientHeight) return;
    const { seen } = this;
    box.style.setProperty('--ratio', `${app.data.shot.width} / ${app.data.shot.height}`);
    const old = new Map([...box.children].map((node) => [Number(node.dataset.id), node]));
    const nodes = seen.map((entry) => this.node(entry, old.get(entry.id)));
    if (nodes.length !== box.children.length || nodes.some((node, k) => box.children[k] !== node)) box.replaceChildren(...nodes);
  }

  node(entry, old) {
    const { app } = this;
    const node = old ?? document.createElement('button');
    const url = app.colours.viewUrl(entry, WIDTH, app.stage.look);
    if (!old) {
      node.dataset.id = entry.id;
      fill(node, html`<img alt="" fetchpriority="high"><span></span>`);
      node.addEventListener('keydown', (event) => { if (event.key === 'Enter' || event.key === ' ') { event.preventDefault(); app.go(entry.id, true); } });
    }
    if (node.dataset.url !== url) swap(node, url);
    node.querySelector('span').textContent = entry.number;
    node.setAttribute('aria-label', `Drawing ${entry.number}`);
    node.toggleAttribute('aria-current', entry === app.current);
    return node;
  }

  scrub(event) {
    const { app, box } = this;
    if (event.button > 0) return;
    const order = [...box.children].map((node) => app.byId.get(Number(node.dataset.id)));
    const boxes = [...box.children].map((node) => node.getBoundingClientRect());
    const under = (x) => order[boxes.findIndex(({ left, right }) => x >= left - GAP / 2 && x < right + GAP / 2)];
    const go = (x) => { const entry = under(x); if (entry && entry !== app.current) app.go(entry.id, true); };
    box.setPointerCapture(event.pointerId);
    go(event.clientX);
    const move = (e) => go(e.clientX);
    box.addEventListener('pointermove', move);
    const end = () => box.removeEventListener('pointermove', move);
    for (const what of ['pointerup', 'pointercancel']) box.addEventListener(what, end, { once: true });
  }
}

// The picture that is there stays until the new one has come.
function swap(node, url) {
  node.dataset.url = url;
  const image = node.querySelector('img');
  if (!image.getAttribute('src')) { image.src = url; return; }
  const next = Object.assign(new Image(), { src: url, alt: '', fetchPriority: 'high' });
  const show = () => { if (node.dataset.url === url) node.querySelector('img').replaceWith(next); };
  next.decode().then(show, show);
}
