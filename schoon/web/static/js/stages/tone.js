// Tone: set the light, block in shade and light, carry them through the run, keep them steady.

import { fill, html } from '../dom.js';
import { shown } from '../keys.js';
import { notice } from '../api.js';
import { change, edit } from '../edits/queue.js';
import { adopt, paintNow } from '../shot/drawings.js';
import { patchUnder } from '../paint/tools.js';
import { KINDS, KIND_WORDS, shownIn } from '../tone/layer.js';
import { Finish } from '../tone/finish.js';
import { Steady } from '../tone/steady.js';
import { SunTool } from '../tone/sun.js';
import { BlockTool, ChooseTool, EdgeTool } from '../tone/tools.js';
import { around } from '../pure/order.js';
import { Stage } from './stage.js';
import { strip } from './strip.js';

const VIEWS = { run: 'Run', steady: 'Steady', finish: 'Finish' };

export class ToneStage extends Stage {
  constructor(app, name) {
    super(app, name);
    this.look = 'paint';
    this.patches = 'pots';
    this.hints = [
      ['q', 'kind before'], ['w', 'next kind'], ['shift+g', 'grey'], ['n', 'next in doubt, or where a share jumps'], ['enter', 'shade the run'],
        ['shift+o', 'the last edge to its other side'],
      ['j', 'let the chosen tone, or all of this drawing, stand: they teach the others'], ['delete', 'take the chosen tone away'],
    ];
    this.kind = 'shade';
    this.grey = false;
    this.inside = 'all';
    this.soft = 0;
    this.brush = 40;
    this.amount = 0.3;
    this.light = new SunTool(app, this);
    this.edge = new EdgeTool(app, this);
    this.choose = new ChooseTool(app, this);
    this.tools = [
      this.light, new BlockTool(app, this, { id: 'block' }), this.edge,
      new BlockTool(app, this, { id: 'brush', brush: true }), new BlockTool(app, this, { id: 'take', takes: true }), this.choose,
    ];
    app.on('colours', () => { if (this.lit) this.keyChanged(); });
    this.steady = new Steady(app, this);
    this.finish = new Finish(app, this);
    this.view = 'run';
  }

  // How tones are shown on the table.
  get tones() { return this.grey ? 'grey' : 'pots'; }

  start() {
    const state = this.light.at(this.app.current);
    if (state) this.amount = state.amount;
    document.body.classList.toggle('grey-tones', this.grey);
    this.keyChanged();
    this.light.show();
  }

  entered() {
    super.entered();
    document.body.classList.toggle('grey-tones', this.grey);
    this.keyChanged();
    this.light.show();
  }

  unlit() { document.body.classList.remove('grey-tones'); }

  hasView(view) { return view in VIEWS; }

  kept() { return { ...super.kept(), kind: this.kind, grey: this.grey }; }

  keptBack(kept) {
    super.keptBack(kept);
    if (KINDS.includes(kept.kind)) this.kind = kept.kind;
    this.grey = Boolean(kept.grey);
  }

  patchAt(event, at) { return patchUnder(this.app, event, at); }

  tonesNow() { return shownIn(paintNow(this.app.current)?.tones ?? [], this.app.colours.toned); }

  // Proposed tones of this drawing that are in doubt.
  unsure() { return this.tonesNow().filter((t) => t.unsure && t.at?.length).map(({ id, at: [at] }) => ({ id, at })); }

  // The next one: after the chosen one in this drawing, else in the next drawing that has any in the key that is seen.
  async nextUnsure() {
    const { app } = this;
    const here = this.unsure();
    let next = here[here.findIndex((t) => t.id === this.choose.chosen?.id) + 1];
    for (const entry of next ? [] : around(app.data.run, app.current)) {
      if (!entry.toned_unsure) continue;
      await app.go(entry.id, true);
      [next] = this.unsure();
      if (next) break;
    }
    if (!next) { notice('No proposed tone is in doubt'); return; }
    app.tools.use('choose');
    this.choose.pick(next.id);
  }

  preview(tones) { this.app.table.paper.tones(paintNow(this.app.current), tones, this.grey); }

  // The shade of this drawing under a light that is being tried: what a hand has drawn stays over it.
  tried(tones) {
    const hand = this.tonesNow().filter((t) => t.by === 'hand' || t.kind !== 'shade');
    this.preview(hand.some((t) => t.by === 'hand' && t.kind === 'shade') ? this.tonesNow() : [...tones, ...hand]);
  }

  async send(entry, what, content) {
    const { app } = this;
    const taken = ({ revision, tones }, before) => {
      adopt(entry, before, { paint: (old) => ({ ...old, revision, tones }) });
      Object.assign(entry, { toned: tones.length, toned_by_hand: tones.filter((t) => t.by === 'hand').length,
        toned_unsure: tones.filter((t) => t.unsure).length });
    };
    try {
      await edit(entry, what, content, { adopt: taken });
      app.sync.changed(entry);
    } catch (error) { notice(error.message, true); } finally { await app.table.draw(); }
  }

  // ---- the tray

  options(slip) {
    const of = (tools, content) => {
      const label = document.createElement('label');
      label.dataset.of = tools;
      fill(label, content);
      slip.append(label);
      return label;
    };
    const parts = [...new Set(this.app.data.pots.map((p) => p.part).filter(Boolean))];
    of('sun', html`<span>light of</span><select id="light-of"><option
      value="">the whole figure</option>${parts.map((part) => html`<option>${part}</option>`)}</select>`)
      .querySelector('select').addEventListener('change', (event) => { this.light.part = event.target.value; this.light.show(); this.app.tools.status(); });
    const amount = of('sun', html`<span>in shade <b id="light-amount"></b></span><input id="light-share" type="range" min="0" max="100" step="1"
      autocomplete="off">`).querySelector('input');
    amount.addEventListener('input', () => { this.amount = amount.value / 100; this.light.try({ ...this.lightNow(), amount: this.amount }); });
    amount.addEventListener('change', () => this.light.keep({ ...this.lightNow(), amount: this.amount }));
    of('sun', html`<span>holds</span><select id="light-holds" autocomplete="off"><option value="shot">all through the shot</option><option
      value="here">from this drawing, changing</option></select>`)
      .querySelector('select').addEventListener('change', (event) => { this.light.holds = event.target.value; });
    if (this.app.data.keys.length > 1) {
      of('sun', html`<span>in</span><select id="light-key" autocomplete="off"><option value="">every colour key</option><option
        value="alone"></option></select>`)
        .querySelector('select').addEventListener('change', (event) => { this.light.alone = event.target.value === 'alone'; this.light.show(); });
    }
    const clear = document.createElement('label');
    clear.dataset.of = 'sun';
    fill(clear, html`<button type="button" id="light-clear" title="Takes the light away that holds here">Take it away</button><span id="light-says"
      class="quiet"></span>`);
    clear.querySelector('button').addEventListener('click', () => this.light.clear());
    slip.append(clear);
    of('block brush edge take', html`<span>tone</span><select id="tone-kind"
      autocomplete="off">${KINDS.map((kind) => html`<option value="${kind}">${KIND_WORDS[kind]}</option>`)}</select>`)
      .querySelector('select').addEventListener('change', (event) => this.useKind(event.target.value));
    of('block brush edge take', html`<span>seen</span><select id="tone-inside" autocomplete="off"><option value="all">on all paint</option><option
      value="patch">in this patch</option><option value="pot">on this pot</option><option value="part">on this part</option></select>`)
      .querySelector('select').addEventListener('change', (event) => { this.inside = event.target.value; this.app.tools.status(); });
    of('brush', html`<span>brush, px</span><input id="tone-brush" type="number" min="1" max="1000" step="2" value="40" autocomplete="off">`)
      .querySelector('input').addEventListener('change', (event) => { this.brush = Math.min(1000, Math.max(1, Number(event.target.value) || 40)); });
    of('block brush', html`<span>soft edge, px</span><input id="tone-soft" type="number" min="0" max="400" step="2" value="0" autocomplete="off">`)
      .querySelector('input').addEventListener('change', (event) => { this.soft = Math.max(0, Number(event.target.value) || 0); });
    const grey = document.createElement('button');
    grey.id = 'see-grey';
    fill(grey, html`Grey <kbd>${shown('shift+g')}</kbd>`);
    grey.setAttribute('aria-pressed', String(this.grey));
    grey.addEventListener('click', () => this.turnGrey());
    slip.append(grey);
    document.getElementById('tone-kind').value = this.kind;
  }

  keyChanged() {
    const select = document.getElementById('light-key');
    if (!select) return;
    this.light.keyChanged();
    select.querySelector('[value=alone]').textContent = `${this.app.colours.key.name} alone`;
    select.value = this.light.alone ? 'alone' : '';
    if (this.app.table?.shown) this.app.table.paper.ask(this.unsure());
    this.refreshed();
  }

  lightNow() { return this.light.at(this.app.current) ?? { azimuth: 315, height: 35, amount: this.amount }; }

  showLight(state) {
    const share = document.getElementById('light-share');
    if (!share) return;
    this.amount = state.amount;
    share.value = Math.round(100 * state.amount);
    document.getElementById('light-amount').textContent = `${share.value} %`;
    const frames = Object.keys(this.light.lights[this.light.part] ?? {});
    document.getElementById('light-clear').hidden = !frames.length;
    document.getElementById('light-says').textContent = frames.length > 1 ? `changes at frames ${frames.join(', ')}` : '';
  }

  useKind(kind) {
    this.kind = kind;
    document.getElementById('tone-kind').value = kind;
    this.app.tools.status();
    this.showSwatches();
    this.ledge();
  }

  turnGrey() {
    this.grey = !this.grey;
    document.body.classList.toggle('grey-tones', this.grey);
    document.getElementById('see-grey').setAttribute('aria-pressed', String(this.grey));
    this.app.table.draw();
  }

  // The colour of the kind beside each pot in the dock.
  showSwatches() {
    for (const item of document.querySelectorAll('#pots [data-pot]')) {
      fill(item.querySelector('.count'), html`<i class="tone-swatch" title="${KIND_WORDS[this.kind]}"
        style="background: var(--tone-${this.kind}-${item.dataset.pot})"></i>`);
    }
  }

  drawn() {
    this.showSwatches();
    this.app.table.paper.ask(this.unsure());
    if (this.view === 'finish') this.finish.moved();
    this.finish.handles.show();
    if (this.app.tools.now === this.light) this.light.show();
    if (this.app.tools.now === this.choose) this.choose.show();
  }

  // What of the finish is dragged on the paper.
  grip(event, at) { return this.finish.handles.grip(event, at); }

  viewChanged() { if (this.app.current) this.drawn(); }

  // ---- the run

  shade() {
    const { app } = this;
    const hand = app.data.run.filter((d) => d.toned_by_hand).length;
    const lit = Object.keys(this.light.of(0)).length > 0 || Object.keys(this.app.levels.mine?.key_lights ?? {}).length > 0;
    if (!hand && !lit) { notice('Drag the sun first, or draw the shade of one drawing'); return; }
    const from = [lit ? 'the light' : '', hand ? `${hand} drawing${hand === 1 ? '' : 's'} drawn by hand` : ''].filter(Boolean).join(' and ');
    notice(`Shading ${app.data.run.filter((d) => d.strokes).length - hand} drawings from ${from}; it can be undone as one`);
    app.jobs.start(`/api/levels/${app.level}/jobs`, { kind: 'tone' }, () => { this.steady.shares = null; if (this.view === 'steady') this.steady.load(); });
  }

  async copyOn() {
    const { app } = this;
    const to = [...app.chosen].filter((id) => id !== app.current.id);
    const shapes = this.tonesNow().filter((t) => !this.choose.chosen || t === this.choose.chosen);
    if (!to.length) { notice('Choose the drawings it goes to in the run: with Shift'); return; }
    if (!shapes.length) { notice('This drawing has no tones to copy'); return; }
    const plain = shapes.map(({ kind, rings, takes, soft, pots = [], parts = [], at = [], key = 0, without = [] }) => ({
      kind, rings, takes, soft, pots, parts, at, key, without,
    }));
    try {
      const done = await change('levels', app.level, 'tone-copy', { to, shapes: plain });
      notice(`${shapes.length} tone${shapes.length === 1 ? '' : 's'} copied to ${done.drawings.length} drawing${done.drawings.length === 1 ? '' : 's'}`);
      await app.sync.refresh();
    } catch (error) { notice(error.message, true); }
  }

  async clear() {
    const { app } = this;
    const of = app.meant((d) => d === app.current).map((d) => d.id);
    try {
      const done = await change('levels', app.level, 'tone-clear', { of, kinds: [this.kind], hand: true });
      notice(`${KIND_WORDS[this.kind]} cleared in ${done.drawings.length} drawing${done.drawings.length === 1 ? '' : 's'}`);
      await app.sync.refresh();
    } catch (error) { notice(error.message, true); }
  }

  // What is done to the tones of this drawing, or of the chosen ones.
  handed() {
    const words = KIND_WORDS[this.kind].toLowerCase();
    return html`<button id="tone-stand"
        title="The chosen tone, or all of this drawing, as if drawn by hand: it stays and teaches">Let stand <kbd>${shown('j')}</kbd></button>
      <button id="tone-copy" title="The chosen tone, or all of this drawing, to the drawings that are chosen in the run">Copy to chosen</button>
      <button id="tone-clear" title="${KIND_WORDS[this.kind]} of this drawing, or of the chosen ones, proposed or drawn">Clear ${words}</button>`;
  }

  ledge() {
    const { run } = this.app.data;
    const { head } = this;
    const hand = run.filter((d) => d.toned_by_hand).map((d) => d.number);
    this.heads(Object.entries(VIEWS), this.view, html`<span class="quiet">${hand.length ? `drawn by hand: ${hand.join(', ')}` : ''}</span>
      <span class="push"></span><span class="acts-here"></span>
      ${this.view === 'run' ? this.handed() : ''}
      <button id="shade">Shade the run <kbd>Enter</kbd></button>`);
    head.querySelector('#shade').addEventListener('click', () => this.shade());
    head.querySelector('#tone-copy')?.addEventListener('click', () => this.copyOn());
    head.querySelector('#tone-clear')?.addEventListener('click', () => this.clear());
    head.querySelector('#tone-stand')?.addEventListener('click', () => this.stand());
    const acts = head.querySelector('.acts-here');
    if (this.view === 'run') strip(this.app, 'paint', this); else this[this.view].show(acts);
  }

  next(act) { if (act === 'shade') this.shade(); else this.nextUnsure(); }

  stand() { return this.send(this.app.current, 'tone-stand', this.choose.chosen ? { ids: [this.choose.chosen.id] } : {}); }

  // With the finish in the ledge the table shows the picture as it is composed.
  get composed() { return this.view === 'finish' && this.finish.list.length > 0; }

  openView(view) { this.use(view); }

  use(view) {
    const before = this.composed;
    this.view = view;
    if (before !== this.composed) this.app.table.draw();
    this.body.replaceChildren();
    this.ledge();
  }

  refreshed() { this.steady.shares = null; if (this.view === 'steady') this.steady.load(); }

  key(key) {
    if (key === 'q' || key === 'w') {
      const k = KINDS.indexOf(this.kind) + (key === 'w' ? 1 : KINDS.length - 1);
      this.useKind(KINDS[k % KINDS.length]);
    } else if (key === 'shift+g') this.turnGrey();
    else if (key === 'shift+o') this.edge.otherSide();
    else if (key === 'j') this.stand();
    else if (key === 'n' && this.view === 'steady') this.steady.next();
    else if (key === 'n') this.nextUnsure();
    else if (key === 'enter') this.shade();
    else if (key === 'delete' || key === 'backspace') this.choose.remove();
    else return false;
    return true;
  }
}
