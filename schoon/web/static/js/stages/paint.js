// Paint: pour pots into patches, sample, lift off, carry to the other drawings.

import { fill, html } from '../dom.js';
import { notice, post } from '../api.js';
import { edit } from '../edits/queue.js';
import { adopt, paintNow, paintSeen } from '../shot/drawings.js';
import { Ledger } from '../paint/ledger.js';
import { UnsureQueue } from '../paint/queue.js';
import { RunView } from '../paint/run.js';
import { BroadTool, BrushTool, CutOutTool, PartTool, patchUnder, RingTool, SampleTool, WholeRunTool } from '../paint/tools.js';
import { testColour } from '../pure/test_colours.js';
import { NewPot } from '../paint/new_pot.js';
import { Reach } from '../paint/reach.js';
import { OpenForms } from '../paint/open_forms.js';
import { Tune } from '../paint/tune.js';
import { Stage } from './stage.js';

const VIEWS = { run: 'Run', ledger: 'Ledger', unsure: 'Unsure' };

export class PaintStage extends Stage {
  constructor(app, name) {
    super(app, name);
    this.look = 'paint';
    this.patches = 'pots';
    this.showsBare = true;
    this.hints = [
      ['q', 'pot before'], ['w', 'next pot'], ['n', 'next in doubt'], ['shift+q', 'find a pot'], ['shift+v', 'test colours'],
      ['j', 'unsure: take the first pot'], ['k', 'the second'], ['m', 'the third'], ['x', 'no paint'], ['l', 'decide later'],
        ['b', 'areas run together: find the leak'], ['shift+k', 'take a card apart'],
      ['enter', 'ledger: goes to the cell; arrows step, with Shift choose'],
    ];
    this.toldHints = 2;
    this.pot = app.data.pots[0]?.id ?? null;
    // Pots whose paint is not to be changed, kept in this browser; and the pot that is seen alone.
    this.lockedIn = `pots-locked-${app.level}`;
    this.locked = new Set(JSON.parse(localStorage[this.lockedIn] || '[]'));
    this.alone = null;
    this.garish = false;
    this.part = new PartTool(app, this);
    this.broad = new BroadTool(app, this);
    this.reach = new Reach(app, this);
    this.tuning = new Tune(app, this);
    this.open = new OpenForms(app);
    this.tools = [
      new BrushTool(app, this, false, { id: 'pour' }), new RingTool(app, this), new WholeRunTool(app, this), new CutOutTool(app, this), this.broad,
      { id: 'base', act: () => this.baseCoat() }, new SampleTool(app, this), this.part,
      new BrushTool(app, this, true, { id: 'lift' }),
    ];
    this.hover = (event, at) => patchUnder(app, event, at);
    this.views = { run: new RunView(app, this), ledger: new Ledger(app, this), unsure: new UnsureQueue(app, this) };
    this.view = 'run';
  }

  start() { this.newPot = new NewPot(this.app, this); this.selectPot(this.pot); this.open.count(); }

  entered() { super.entered(); this.selectPot(this.pot); this.open.count(); }

  unlit() {
    if (this.tuning.open) this.tuning.close();
    if (this.garish) this.turnTest();
  }

  hasView(view) { return view in VIEWS; }

  kept() { return { ...super.kept(), pot: this.pot, lately: this.reach.lately }; }

  keptBack(kept) {
    super.keptBack(kept);
    const known = (id) => this.app.data.pots.some((p) => p.id === id);
    if (known(kept.pot)) this.pot = kept.pot;
    this.reach.lately = (kept.lately ?? []).filter(known);
  }

  // ---- pots

  get potName() { return this.app.data.pots.find((p) => p.id === this.pot)?.name ?? 'no pot'; }

  get lockedPots() { return [...this.locked]; }

  // What stays besides the paint of hands, for messages.
  get alsoStay() { return this.locked.size ? ' and locked pots stay' : ' stays'; }

  get potItems() { return [...document.querySelectorAll('#pots [data-pot]')]; }

  markPot() { for (const item of this.potItems) item.setAttribute('aria-selected', String(Number(item.dataset.pot) === this.pot)); }

  selectPot(id, pour = false) {
    this.pot = id;
    this.markPot();
    this.reach.taken(id);
    // A tool that lays the pot down stays in the hand.
    const lays = ['ring', 'cut-out', 'broad', 'whole-run'].includes(this.app.tools.now?.id);
    if (pour && this.lit && !lays) this.app.tools.use('pour'); else this.app.tools.status();
  }

  // Says so if paint of this pot is not to be changed.
  closed(id) {
    if (!this.locked.has(id)) return false;
    notice(`${this.app.data.pots.find((p) => p.id === id)?.name} is locked; unlock it in the dock to paint over it`);
    return true;
  }

  get potWays() { return [['alone', 'alone'], ['lock', 'lock']]; }

  potWay(way, id) {
    if (way === 'alone') this.alone = this.alone === id ? null : id;
    else {
      if (!this.locked.delete(id)) this.locked.add(id);
      localStorage[this.lockedIn] = JSON.stringify(this.lockedPots);
    }
    this.drawn();
  }

  hasWay(way, id) { return way === 'alone' ? this.alone === id : this.locked.has(id); }

  counts() {
    const found = new Map();
    for (const { pot } of Object.values(paintNow(this.app.current)?.paint || {})) found.set(pot, (found.get(pot) || 0) + 1);
    return found;
  }

  remarks() { return paintNow(this.app.current)?.remarks || []; }

  async expect() {
    const { current } = this.app;
    try {
      const found = await post(`/api/drawings/${current.id}/expect`);
      notice(`The model counts as in drawing ${current.number}: ${found.pots} pots. Every drawing is compared with it`);
      setTimeout(() => window.location.reload(), 900);
    } catch (error) { notice(error.message, true); }
  }

  // Colours as far apart as can be, to see at once what carries which pot; the pots keep their own.
  turnTest() {
    this.testColours(!this.garish);
    document.getElementById('test-colours').setAttribute('aria-pressed', String(this.garish));
  }

  testColours(on) {
    this.garish = on;
    const { key } = this.app.colours;
    this.app.data.pots.forEach((pot, k) => {
      const colour = on ? testColour(k) : key?.colours[pot.id];
      if (colour) document.documentElement.style.setProperty(`--pot-${pot.id}`, colour);
    });
  }

  // ---- paint

  // The shapes of the drawing if paint can go on it; says why not otherwise.
  ready(lift = false) {
    const { current } = this.app;
    // The hand does not wait while the drawing is read anew: places are sent, and the server knows its patches.
    const shapes = paintSeen(current);
    if (!shapes) notice(current.strokes ? 'The patches are still being found; wait a moment' : 'This drawing has no line yet; clean it first');
    else if (!lift && this.pot === null) notice('Choose a pot in the dock first; a model without pots gets them on its own page');
    else return shapes;
    return null;
  }

  // Resolves to the answer, or null if it was refused.
  async send(entry, what, content) {
    const { app } = this;
    const sent = performance.now();
    const taken = ({ revision, paint, remarks }, before) => {
      adopt(entry, before, { paint: (old) => ({ ...old, revision, paint, remarks }) });
      const all = Object.values(paint);
      Object.assign(entry, { painted: all.length, hand: all.filter((p) => p.by === 'hand').length, unsure: all.filter((p) => p.unsure).length });
    };
    try {
      const answer = await edit(entry, what, content, { adopt: taken });
      performance.measure('pour', { start: sent });
      app.sync.changed(entry);
      return answer;
    } catch (error) { notice(error.message, true); return null; } finally { app.table.draw(); }
  }

  // A base coat: everything inside the outline that has no paint yet, here or in the chosen drawings.
  async baseCoat() {
    const { app } = this;
    if (!this.ready()) return;
    const [w, h] = app.table.view.size;
    const ring = [[0, 0], [w, 0], [w, h], [0, h]];
    let patches = 0;
    for (const entry of app.meant((d) => d === app.current)) {
      if (entry.strokes) patches += (await this.send(entry, 'pour-within', { ring, pot: this.pot }))?.patches ?? 0;
    }
    if (patches) notice(`${this.potName} as a base coat in ${patches} patch${patches === 1 ? '' : 'es'}`);
  }

  get questions() { return this.views.unsure.cards?.length ?? null; }

  // Forms of the drawing on the table that have no paint.
  get bare() {
    const shapes = paintNow(this.app.current);
    return (shapes?.patches ?? []).filter(({ n }) => n !== shapes.background && !shapes.paint[n]);
  }

  // How many of them there are while a hand has begun with a drawing and most of it is bare.
  get begun() {
    const { current } = this.app;
    const all = (paintNow(current)?.patches.length ?? 1) - 1;
    return current?.hand && this.bare.length > all / 2 ? this.bare.length : 0;
  }

  // Looks at the next bare form, the largest first, and takes the pen to it.
  toBare() {
    const { app } = this;
    const nodes = this.bare.map(({ n }) => app.table.paper.layers.patches.querySelector(`[data-n="${n}"]`)?.getBBox()).filter(Boolean);
    if (!nodes.length) return;
    this.looked = ((this.looked ?? -1) + 1) % nodes.length;
    const { x, y, width, height } = nodes.sort((a, b) => b.width * b.height - a.width * a.height)[this.looked];
    app.table.lookAt(x + width / 2, y + height / 2, app.table.view.zoom);
    app.tools.use('pour');
    notice('Forms without paint are hatched: pour them, draw a Ring round many, or lay a Base coat; then the others get theirs from it');
  }

  next(act) {
    const { app } = this;
    if (act === 'carry') this.carry();
    else if (act === 'bare') this.toBare();
    else if (act === 'open') this.open.next();
    else if (act === 'pour') {
      app.tools.use('pour');
      notice('Pour the pots of one drawing; the others get theirs from it');
    } else if (act === 'pot') { document.getElementById('new-pot').open = true; document.querySelector('#new-pot input').focus();
    } else {
      if (app.room.state === 'folded') app.room.ledge('open');
      if (this.view === 'unsure') this.views.unsure.look(); else this.use('unsure');
    }
  }

  carry() {
    const { app } = this;
    const from = app.data.run.filter((d) => d.hand).length;
    const drawings = `${from} painted drawing${from === 1 ? '' : 's'}`;
    notice(from ? `Carrying paint from ${drawings} to ${app.data.run.length}; what a hand painted${this.alsoStay}, and it can be undone as one`
      : 'Nothing is painted here yet: proposing paint from the model sheet and other painted shots of the model; it can be undone as one');
    app.jobs.start(`/api/levels/${app.level}/jobs`, { kind: 'carry', keep: this.lockedPots });
  }

  // One pot alone: the others step back, so that a stray patch stands out.
  drawn() {
    this.open.show();
    const { alone } = this;
    const shapes = paintNow(this.app.current);
    const back = (node) => alone !== null && shapes?.paint[node.dataset.n]?.pot !== alone;
    const names = this.part.names();
    const telling = this.app.tools.now === this.part;
    for (const node of this.app.table.paper.layers.patches.children) {
      node.classList.toggle('back', back(node));
      if (!telling) continue;
      const k = names.indexOf(this.part.partOf(shapes?.paint[node.dataset.n]));
      if (k >= 0) node.style.fill = node.style.stroke = testColour(k);
    }
    this.reach.showWays();
    for (const item of this.potItems) {
      const id = Number(item.dataset.pot);
      for (const way of item.querySelectorAll('[data-way]')) way.setAttribute('aria-pressed', String(this.hasWay(way.dataset.way, id)));
    }
  }

  options(slip) {
    const broad = document.createElement('label');
    broad.dataset.of = 'broad';
    fill(broad, html`<span>broad, px <b id="broad-says">${this.broad.width}</b></span><input id="broad-width" type="range" min="2" max="200" step="1"
      value="${this.broad.width}" aria-label="How broad the pen is, px" autocomplete="off"><select id="broad-within" aria-label="Where the form stays"
        autocomplete="off"><option value="patch">in the form</option><option value="pot">on the pot</option><option
          value="part">on the part</option><option value="free">free</option></select>`);
    broad.querySelector('input').addEventListener('input',
      ({ target }) => { this.broad.width = Number(target.value); document.getElementById('broad-says').textContent = target.value; });
    broad.querySelector('select').addEventListener('change', ({ target }) => { this.broad.within = target.value; this.app.tools.status(); });
    slip.append(broad);
    const parts = document.createElement('label');
    parts.dataset.of = 'part';
    fill(parts, html`<span>belongs to</span><select id="belongs-to"><option
      value="">its pot's part</option>${this.part.names().map((name) => html`<option>${name}</option>`)}</select>`);
    parts.querySelector('select').addEventListener('change', (event) => { this.part.part = event.target.value; this.app.tools.status(); });
    slip.append(parts);
  }

  // Only what the tool in hand can use; parts are told apart while one is given.
  toolChanged() {
    const now = this.app.tools.now?.id;
    if (now === 'part' || this.told) this.app.table.draw();
    this.told = now === 'part';
  }

  // ---- the ledge

  ledge() {
    const { run } = this.app.data;
    const unsure = run.reduce((n, d) => n + d.unsure, 0);
    const painted = run.filter((d) => d.hand).map((d) => d.number);
    const { head } = this;
    // What is left to do is questions, as soon as they are known.
    const asked = this.views.unsure.cards;
    const said = asked && `${asked.length} question${asked.length === 1 ? '' : 's'} about ${unsure} patch${unsure === 1 ? '' : 'es'}`;
    const minutes = asked?.length && Math.ceil(this.views.unsure.left());
    const left = minutes && html` <span class="quiet" title="what is left at your pace">${minutes} min</span>`;
    const count = unsure ? html` <b class="ask" title="${said || ''}">${asked ? asked.length : unsure}</b>${left || ''}` : '';
    const short = this.view === 'unsure' ? 'Carry' : 'Carry paint';
    const words = painted.length ? short : 'Paint from model';
    const tabs = Object.entries(VIEWS).map(([id, label]) => [id, id === 'unsure' ? html`${label}${count}` : label]);
    this.heads(tabs, this.view, html`<span class="push"></span><span class="acts-here"></span>
      <button id="carry" title="painted by hand: ${painted.join(', ') || 'none yet'}">${words}</button>`);
    head.querySelector('#carry').addEventListener('click', () => this.carry());
    this.views[this.view].show(head.querySelector('.acts-here'));
  }

  openView(view) { this.use(view); }

  use(view) {
    this.view = view;
    this.body.replaceChildren();
    this.views.unsure.cards = null;
    this.ledge();
  }

  // What was taken back has no consequences.
  stepped() { clearTimeout(this.views.unsure.soon); }

  refreshed() { if (this.view === 'unsure') this.views.unsure.load(); }

  key(key) {
    const { pots } = this.app.data;
    if (this.view === 'unsure' && this.views.unsure.key(key)) return true;
    if (key === 'n') { if (this.view === 'ledger') this.views.ledger.nextOdd(); else this.app.nextUnsure(); return true; }
    if (key === 'shift+q') { this.reach.open(); return true; }
    if (key === 'shift+v') { this.turnTest(); return true; }
    if (!pots.length || !['w', 'q'].includes(key)) return false;
    const k = pots.findIndex((p) => p.id === this.pot);
    this.selectPot(pots[(k + (key === 'w' ? 1 : pots.length - 1)) % pots.length].id);
    return true;
  }
}
