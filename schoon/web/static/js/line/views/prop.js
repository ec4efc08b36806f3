// Rigid props: placed over the rough by hand in some drawings, carried through those between.

import { fill, html } from '../../dom.js';
import { get, notice, post, upload } from '../../api.js';
import { round } from '../../pure/geometry.js';
import { rolled, wirePath } from '../../pure/solid.js';
import { make, spot } from '../../shot/paper.js';
import { View } from './view.js';

const CHARTS = { time: 'as they stand on the sheet', even: 'evenly', 'slow both': 'slow at both keys', 'ease in': 'gathering at the next key',
  'ease out': 'gathering at the key before' };
// Px of the screen within which a handle is taken.
const NEAR = 14;
// Degrees that a prop rolls while the hand goes as far as the prop is large.
const ROLLS = 180;
// Px of the screen within which a hand may turn in space.
const BALL = 9;
// How large a prop is at first, in shares of the paper's height.
const FIRST = 0.3;

const apart = (a, b) => Math.hypot(a[0] - b[0], a[1] - b[1]);

export class PropView extends View {
  constructor(ledge) {
    super(ledge);
    this.listed = [];
    this.placed = {};
    this.wires = new Map();
    // A placement the hand holds, or that is on its way to the server.
    this.held = null;
  }

  get prop() { return this.listed.find(({ id }) => id === this.chosen) ?? this.listed[0]; }

  // How the prop is placed in a drawing; undefined if it is not.
  placedIn(drawing) { return this.prop && this.placed[drawing]?.[this.prop.id]; }

  get here() { return this.held ?? this.placedIn(this.app.current.id); }

  async show() {
    if (!this.body.querySelector('.prop-form')) this.build();
    this.ledge.button('Carry through', () => this.through(), true, 'prop-through');
    await this.read();
  }

  async read() {
    const { app } = this;
    try {
      const { props, placed } = await get(`/api/levels/${app.level}/props`);
      Object.assign(this, { listed: props, placed });
    } catch (error) { notice(error.message, true); return; }
    if (this.ledge.views[this.ledge.view] !== this) return;
    this.told();
    this.draw();
  }

  build() {
    const charts = Object.entries(CHARTS).map(([id, words]) => html`<option value="${id}">${words}</option>`);
    fill(this.body, html`<form class="part-form prop-form"><b>A rigid prop</b>
        <label>prop <select name="prop"></select></label>
        <a id="prop-forms" class="quiet-link">its forms …</a>
        <button type="button" id="prop-new">Build one</button><label class="file-button">Bring a file<input type="file" name="file"
          accept=".obj,.glb,.gltf"></label>
        <p class="quiet prop-none">A lantern, a machine: built once of simple forms after the model sheet,
          or brought as OBJ or glTF, then placed where it is drawn.</p></form>
      <form class="part-form prop-here"><b></b>
        <button type="button" id="prop-place" class="main">Place here</button><button type="button" id="prop-snap">Onto the rough</button><button
          type="button" id="prop-away">Take away</button>
        <label>doors open <input name="opened" type="range" min="0" max="1" step="0.05" aria-label="How far doors stand open"></label>
        <label>near is larger <input name="depth" type="range" min="0" max="1" step="0.05" aria-label="How strongly what is near is larger"></label>
        <span class="prop-behind" role="group" aria-label="Parts that lie before it"></span></form>
      <form class="part-form prop-run"><b>Through the run</b><span class="prop-strip" role="group" aria-label="Drawings"></span>
        <label>between keys <select name="chart">${charts}</select></label><label><input type="checkbox" name="snap" checked> each onto its rough</label>
        <a id="prop-ids" class="quiet-link" download>its forms as a picture</a></form>`);
    [this.top, this.hereForm, this.run] = this.body.querySelectorAll('form');
    for (const form of [this.top, this.hereForm, this.run]) form.addEventListener('submit', (event) => event.preventDefault());
    this.top.prop.addEventListener('change', () => { this.chosen = Number(this.top.prop.value); this.told(); this.draw(); });
    this.top.file.addEventListener('change', () => this.bring());
    const acts = { 'prop-new': () => this.begin(), 'prop-place': () => this.place(), 'prop-snap': () => this.send(this.here, true),
      'prop-away': () => this.send(null) };
    for (const [id, act] of Object.entries(acts)) this.body.querySelector(`#${id}`).addEventListener('click', act);
    for (const name of ['opened', 'depth']) {
      this.hereForm[name].addEventListener('input',
        () => { if (this.here) { this.held = { ...this.here, [name]: Number(this.hereForm[name].value) }; this.draw(); } });
      this.hereForm[name].addEventListener('change', () => { if (this.held) this.send(this.held); });
    }
  }

  // What the ledge says of the prop and of the drawing.
  told() {
    const { app, prop, here } = this;
    if (!this.top?.isConnected) return;
    fill(this.top.prop, this.listed.map(({ id, name }) => html`<option value="${id}">${name}</option>`));
    if (prop) this.top.prop.value = prop.id;
    for (const node of [this.top.prop.parentElement, this.top.querySelector('#prop-forms'), this.hereForm, this.run]) node.hidden = !prop;
    this.top.querySelector('.prop-none').hidden = Boolean(prop);
    if (!prop) return;
    this.top.querySelector('#prop-forms').href = `/props/${prop.id}?level=${app.level}`;
    const state = here ? (here.key ? 'placed by hand' : 'carried from its neighbours') : 'not here';
    this.hereForm.querySelector('b').textContent = `Drawing ${app.current.number}: ${state}`;
    for (const id of ['prop-snap', 'prop-away']) this.body.querySelector(`#${id}`).hidden = !here;
    this.body.querySelector('#prop-place').hidden = Boolean(here);
    for (const name of ['opened', 'depth']) { this.hereForm[name].parentElement.hidden = !here; this.hereForm[name].value = here?.[name] ?? 0; }
    const names = app.parts.names().filter((name) => name !== prop.part);
    const before = this.hereForm.querySelector('.prop-behind');
    before.hidden = !here || !names.length;
    fill(before, html`behind ${names.map((name) => html`<button type="button" class="chip"
      aria-pressed="${String(Boolean(here?.behind.includes(name)))}">${name}</button>`)}`);
    for (const chip of before.querySelectorAll('button')) chip.addEventListener('click', () => this.turnBehind(chip.textContent));
    const sign = (drawing) => { const own = this.placedIn(drawing); return own ? (own.key ? 'key' : 'carried') : 'none'; };
    fill(this.run.querySelector('.prop-strip'),
      app.data.run.map((d) => html`<button type="button" class="${sign(d.id)}" data-id="${d.id}" aria-current="${String(d === app.current)}"
        title="${{ key: 'placed by hand', carried: 'carried', none: 'not here' }[sign(d.id)]}">${d.number}</button>`));
    for (const button of this.run.querySelectorAll('.prop-strip button')) button.addEventListener('click', () => app.go(Number(button.dataset.id)));
    const ids = this.run.querySelector('#prop-ids');
    ids.hidden = !this.placedIn(app.current.id);
    ids.href = `/api/levels/${app.level}/props/${prop.id}/forms/${app.current.id}`;
  }

  turnBehind(name) {
    const { here } = this;
    if (!here) return;
    const behind = here.behind.includes(name) ? here.behind.filter((one) => one !== name) : [...here.behind, name];
    this.send({ ...here, behind });
  }

  async begin() {
    const name = window.prompt('What is the prop called?', 'Lantern');
    if (!name) return;
    try {
      const { id } = await post(`/api/levels/${this.app.level}/props/new`, { name });
      window.location.href = `/props/${id}?level=${this.app.level}`;
    } catch (error) { notice(error.message, true); }
  }

  async bring() {
    const [file] = this.top.file.files;
    if (!file) return;
    const form = new FormData();
    form.append('file', file);
    try {
      const { id } = await upload(`/api/levels/${this.app.level}/props/file`, form);
      this.chosen = id;
      await this.read();
      notice(`${file.name} is there; place it, and say under its forms which pots paint it`);
    } catch (error) { notice(error.message, true); }
    this.top.file.value = '';
  }

  // Where the prop comes first: as in the nearest drawing that has it, or in the middle of what is seen.
  place() {
    const { app, prop } = this;
    if (!prop) { notice('Build a prop or bring one first'); return; }
    const { run } = app.data;
    const k = run.indexOf(app.current);
    const near = run.filter((d) => this.placedIn(d.id)).sort((a, b) => Math.abs(run.indexOf(a) - k) - Math.abs(run.indexOf(b) - k))[0];
    const [width, height] = app.table.view.size;
    const order = app.depth.parts;
    const behind = order.includes(prop.part) ? order.slice(0, order.indexOf(prop.part)).filter((name) => app.parts.names().includes(name)) : [];
    const first = { at: [width / 2, height / 2], size: FIRST * height, turn: [0, 0, 0, 1], depth: 0, opened: 0, behind };
    if (app.tools.now?.id !== 'prop') app.tools.use('prop');
    this.send(near ? this.placedIn(near.id) : first);
  }

  async send(placed, snap = false) {
    const { app, prop } = this;
    const drawing = app.current;
    const was = this.placedIn(drawing.id);
    this.held = placed && { ...placed, key: true };
    this.draw();
    try {
      const wanted = placed && { at: placed.at.map((v) => round(v)), size: round(placed.size), turn: placed.turn, depth: placed.depth,
        opened: placed.opened, behind: placed.behind };
      const answer = await post(`/api/levels/${app.level}/props/${prop.id}/place`, { drawing: drawing.id, placed: wanted, snap });
      app.sync.undoes('drawings');
      this.placed[drawing.id] = { ...this.placed[drawing.id], [prop.id]: answer.placed ?? undefined };
      if (snap && was && apart(was.at, answer.placed.at) < 0.5 &&
        Math.abs(was.size - answer.placed.size) < 0.5) notice('It lies on the rough as well as it can be found to from here; bring it nearer by hand');
      this.held = null;
      await app.sync.refresh();
      await app.table.draw();
      this.follow(drawing);
    } catch (error) { this.held = null; notice(error.message, true); }
    this.told();
    this.draw();
  }

  // Drawings that were carried go with the key beside them that was moved.
  follow(drawing) {
    const { run } = this.app.data;
    const beside = [];
    for (const step of [-1, 1]) {
      for (let k = run.indexOf(drawing) + step; this.placedIn(run[k]?.id) && !this.placedIn(run[k].id).key; k += step) beside.push(run[k].id);
    }
    if (beside.length) this.through(beside);
  }

  // of: drawings that follow quietly; without it, all between keys.
  async through(of = null) {
    const { app, prop, run } = this;
    if (!prop) { notice('Build a prop or bring one first'); return; }
    const quiet = Boolean(of);
    const content = { chart: run.chart.value, snap: run.snap.checked, of };
    if (quiet && Object.values(this.placed).filter((own) => own[prop.id]?.key).length < 2) return;
    await app.jobs.start(`/api/levels/${app.level}/props/${prop.id}/through`, content, async (job) => {
      await app.table.draw();
      await this.read();
      if (!quiet && job.state === 'done') notice(`${prop.name} is carried through ${job.done} drawing${job.done === 1 ? '' : 's'}; it can be undone as one`);
    }, quiet);
  }

  async wire(placed) {
    const name = `${this.prop.id} ${placed.opened}`;
    if (!this.wires.has(name)) this.wires.set(name, get(`/api/props/${this.prop.id}/wire?opened=${placed.opened}`));
    try { return await this.wires.get(name); } catch (error) { this.wires.delete(name); throw error; }
  }

  // The prop, seen through, and what it is taken by.
  async draw() {
    const { layers } = this.app.table.paper;
    const { here, prop } = this;
    const on = prop && here && this.app.tools.now?.id === 'prop' && this.ledge.views[this.ledge.view] === this;
    if (!on) { layers.prop.replaceChildren(); return; }
    let d = '';
    try { d = wirePath(await this.wire(here), here); } catch (error) { notice(error.message, true); return; }
    if (here !== this.here) return;
    layers.prop.replaceChildren();
    make('path', { d, class: 'wire' }, layers.prop);
    const [x, y] = here.at;
    make('circle', { cx: x, cy: y, r: here.size * 0.62, class: 'round' }, layers.prop);
    spot(this.handle(here), 'circle', { r: 7, class: 'grows' }, layers.prop);
    spot(here.at, 'circle', { r: BALL, class: 'ball' }, layers.prop);
    spot(here.at, 'path', { d: `M${-BALL} 0Q0 5 ${BALL} 0M0 ${-BALL}Q5 0 0 ${BALL}`, class: 'ball-lines' }, layers.prop);
  }

  handle({ at, size }) { const r = size * 0.62 * Math.SQRT1_2; return [at[0] + r, at[1] - r]; }

  tool() {
    return {
      id: 'prop', pen: 'Place a prop: drag it; the ball turns it in space, the round handle makes it larger and turns it, Shift keeps its size',
      enter: () => this.entered(),
      leave: () => { this.app.table.paper.layers.prop.replaceChildren(); },
      redrawn: () => { if (!this.held) { this.told(); this.draw(); } },
      down: (event, from) => this.down(event, from),
    };
  }

  async entered() {
    const { tools } = this.app;
    this.open();
    await this.read();
    if (tools.now?.id === 'prop' && this.prop && !this.here) this.place();
  }

  down(event, from) {
    const { view } = this.app.table;
    const start = this.here;
    if (!start) { this.place(); return null; }
    const reach = NEAR / view.zoom;
    const handle = this.handle(start);
    const way = apart(start.at, from) < reach ? 'ball' : apart(handle, from) < reach ? 'grows' : 'moves';
    const moved = (to, shift) => {
      if (way === 'moves') return { ...start, at: [start.at[0] + to[0] - from[0], start.at[1] + to[1] - from[1]] };
      if (way === 'ball') return rolled(start, ((to[0] - from[0]) / start.size) * ROLLS, ((to[1] - from[1]) / start.size) * ROLLS);
      const [a, b] = [from, to].map(([x, y]) => Math.atan2(y - start.at[1], x - start.at[0]));
      const grows = shift ? 1 : apart(to, start.at) / Math.max(apart(from, start.at), 1);
      return { ...rolled(start, 0, 0, ((b - a) * 180) / Math.PI), size: Math.max(4, start.size * grows) };
    };
    return {
      move: (e) => { this.held = moved(view.toPaper(e.clientX, e.clientY), e.shiftKey); this.draw(); },
      up: () => { if (this.held) this.send(this.held); },
      cancel: () => { this.held = null; this.draw(); },
    };
  }
}
