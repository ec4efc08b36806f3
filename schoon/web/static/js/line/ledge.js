// The ledge of the Line stage: the run, how roughs are read, strokes passed on, in-betweens, parts compared.

import { fill, html } from '../dom.js';
import { get, notice, post } from '../api.js';
import { lineNow } from '../drawings.js';
import { strip } from '../stages/strip.js';
import { compare } from './compare.js';

const VIEWS = { run: 'Run', read: 'Read roughs', pass: 'Pass on', between: 'In-betweens', compare: 'Compare' };
const CHARTS = { even: 'even', 'ease in': 'gathering at the end', 'ease out': 'gathering at the start', 'slow both': 'gathering at both', own: 'own thirds' };

export class LineLedge {
  constructor(app, chosen) {
    this.app = app; this.chosen = chosen;
    this.view = sessionStorage.lineLedge in VIEWS ? sessionStorage.lineLedge : 'run';
    this.reading = { searching: null, detail: 0.5, follow: 0.5, pressure: 0, pencils: [], ...app.data.reading };
    this.reading.pencils = (this.reading.pencils || []).map((p) => (Array.isArray(p) ? { hue: p[0], role: p[1] } : p));
    this.head = document.getElementById('ledge-head');
    this.body = document.getElementById('ledge-body');
  }

  show() {
    const { app, head } = this;
    const lined = app.data.run.filter((d) => d.strokes).length;
    fill(head, html`<div class="views" role="tablist" aria-label="Views of the run">${Object.entries(VIEWS).map(([id, label]) => html`<button role="tab" data-view="${id}" aria-selected="${id === this.view}">${label}</button>`)}</div>
      <span class="push"></span><span class="quiet">${lined === app.data.run.length ? '' : html`${lined} of ${app.data.run.length} lined`}</span><span class="acts-here"></span>`);
    for (const tab of head.querySelectorAll('[role="tab"]')) tab.addEventListener('click', () => this.use(tab.dataset.view));
    this.acts = head.querySelector('.acts-here');
    this[this.view]();
  }

  use(view) {
    this.view = view;
    sessionStorage.lineLedge = view;
    this.body.replaceChildren();
    dropGhost(this.app);
    this.show();
  }

  button(label, act, main = false, id = '') {
    const button = document.createElement('button');
    button.textContent = label;
    if (main) button.className = 'main';
    if (id) button.id = id;
    button.addEventListener('click', act);
    this.acts.append(button);
    return button;
  }

  wantedReading() { return { ...this.reading, pencils: this.reading.pencils }; }

  clean(drawings) {
    notice(`Cleaning ${drawings.length} drawing${drawings.length === 1 ? '' : 's'}; lines a hand has touched stay, and it can be undone as one`);
    this.app.jobs.start(`/api/levels/${this.app.data.shot.level_id}/jobs`, { kind: 'clean', drawings, reading: this.wantedReading() });
  }

  run() {
    const { app } = this;
    const { run } = app.data;
    const bare = run.filter((d) => !d.strokes).map((d) => d.id);
    const some = app.chosen.size > 1;
    if (run.length > bare.length) {
      const ids = some ? [...app.chosen] : run.filter((d) => d.strokes).map((d) => d.id);
      this.button('Weigh by rule', async () => {
        const answer = await this.post('weigh', { drawings: ids });
        if (answer) notice(`The line rule is laid on ${answer.drawings.length} drawing${answer.drawings.length === 1 ? '' : 's'}; it can be undone as one`);
      }, false, 'weigh-rule');
    }
    this.button('Clean this', () => this.clean([app.current.id]), false, 'clean-this');
    const label = some ? `Clean ${app.chosen.size} chosen` : bare.length && bare.length < run.length ? `Clean ${bare.length} still rough` : `Clean all ${run.length}`;
    this.button(label, () => this.clean(some ? [...app.chosen] : bare.length ? bare : run.map((d) => d.id)), true, 'clean-all');
    strip(app, 'line');
  }

  // ---- how the roughs are read

  read() {
    const { app, reading, body } = this;
    const fresh = !body.querySelector('.reading');
    if (fresh) {
      fill(body, html`<form class="reading">
        <label>how searching <select name="searching"><option value="">found by itself</option><option value="0">tied down</option><option value="0.35">rough</option><option value="0.65">loose</option><option value="1">very loose</option></select></label>
        <label>small detail <input name="detail" type="range" min="0" max="1" step="0.1"></label>
        <label>follow closely <input name="follow" type="range" min="0" max="1" step="0.1"></label>
        <label>weight from pressure <input name="pressure" type="range" min="0" max="1" step="0.1"></label></form>
        <div class="pencils"><b>Coloured pencils in this drawing</b><div id="chips"><span class="quiet">Looking …</span></div><p class="quiet">An ignored colour leaves no trace and cuts nothing.</p></div>
        <p class="tried" id="tried">Try the settings on this drawing before the run; nothing is changed by it.</p>`);
      const form = body.querySelector('form');
      form.searching.value = reading.searching ?? '';
      for (const name of ['detail', 'follow', 'pressure']) form[name].value = reading[name];
      form.addEventListener('input', () => {
        reading.searching = form.searching.value === '' ? null : Number(form.searching.value);
        for (const name of ['detail', 'follow', 'pressure']) reading[name] = Number(form[name].value);
      });
      form.addEventListener('submit', (event) => event.preventDefault());
    }
    if (this.chipsOf !== app.current.id || fresh) this.chips();
    this.button('Try on this drawing', () => this.tryIt(), false, 'try-reading');
    this.button('Clean this', () => { dropGhost(app); this.clean([app.current.id]); }, false, 'clean-this');
    const all = app.chosen.size > 1 ? [...app.chosen] : app.data.run.map((d) => d.id);
    this.button(`Clean ${app.chosen.size > 1 ? `${all.length} chosen` : `all ${all.length}`}`, () => { dropGhost(app); this.clean(all); }, true, 'clean-all');
  }

  async chips() {
    const { app, reading } = this;
    this.chipsOf = app.current.id;
    const box = document.getElementById('chips');
    try {
      const { pencils } = await get(`/api/drawings/${app.current.id}/pencils`);
      if (this.chipsOf !== app.current.id || !box.isConnected) return;
      if (!pencils.length) { fill(box, html`<span class="quiet">None; all is one neutral pencil.</span>`); return; }
      const near = (hue) => reading.pencils.find((p) => Math.abs(((p.hue - hue + 540) % 360) - 180) < 32);
      box.replaceChildren(...pencils.map((pencil) => {
        const chip = document.createElement('label');
        chip.className = 'chip';
        fill(chip, html`<span class="swatch" style="background: ${pencil.colour}"></span>${pencil.name} <i class="quiet">${Math.round(pencil.share * 100)} %</i> <select><option value="ignore">ignore</option><option value="use">use</option></select>`);
        const select = chip.querySelector('select');
        const role = near(pencil.hue)?.role || 'ignore';
        const names = new Set(app.parts.names());
        if (role.startsWith('part:')) names.add(role.slice(5));
        for (const name of names) select.append(Object.assign(document.createElement('option'), { value: `part:${name}`, textContent: `is the part ${name}` }));
        select.append(Object.assign(document.createElement('option'), { value: 'new', textContent: 'is a new part …' }));
        select.value = role;
        select.setAttribute('aria-label', `The ${pencil.name} pencil`);
        select.addEventListener('change', () => {
          let { value } = select;
          if (value === 'new') {
            const name = (window.prompt('Name of the part drawn with this pencil') || '').trim();
            if (!name) { select.value = role; return; }
            value = `part:${name.slice(0, 60)}`;
          }
          reading.pencils = reading.pencils.filter((p) => p !== near(pencil.hue));
          reading.pencils.push({ hue: pencil.hue, role: value });
          this.chips();
        });
        return chip;
      }));
    } catch (error) { box.textContent = error.message; }
  }

  async tryIt() {
    const { app } = this;
    const words = document.getElementById('tried');
    const entry = app.current;
    words.textContent = 'Trying …';
    try {
      const found = await post(`/api/drawings/${entry.id}/try`, this.wantedReading());
      if (entry !== app.current) return;
      app.paper.ghost(found.strokes);
      words.textContent = `In teal: ${found.strokes.length} lines (now ${lineNow(entry)?.strokes.length || 0}). Not kept; clean to keep it.`;
    } catch (error) { words.textContent = error.message; }
  }

  // ---- strokes passed on to other drawings

  targets() {
    const { app } = this;
    const order = app.data.run;
    const k = order.indexOf(app.current);
    const way = this.body.querySelector('[name="to"]')?.value || 'chosen';
    if (way === 'next') return order.slice(k + 1, k + 2).map((d) => d.id);
    if (way === 'after') return order.slice(k + 1).map((d) => d.id);
    if (way === 'all') return order.filter((d) => d !== app.current).map((d) => d.id);
    return [...app.chosen].filter((id) => id !== app.current.id);
  }

  what() {
    const value = this.body.querySelector('[name="what"]')?.value || 'all';
    if (value === 'chosen') return { strokes: this.chosen.list(), part: '', words: `${this.chosen.size} chosen lines` };
    if (value.startsWith('part:')) {
      const part = value.slice(5);
      return { part, strokes: (lineNow(this.app.current)?.strokes || []).filter((s) => s.part === part).map((s) => s.id), words: `the part ${part}` };
    }
    return { part: '', strokes: [], all: true, words: 'all lines' };
  }

  pass() {
    const { app, body } = this;
    if (!body.querySelector('.pass')) {
      fill(body, html`<form class="pass">
        <label>pass on <select name="what"></select></label>
        <label>from <b class="number" id="pass-from"></b> to <select name="to"><option value="chosen"></option><option value="next">the next drawing</option><option value="after">all after it</option><option value="all">all others</option></select></label>
        <fieldset><legend>Trace back: just as they are</legend><label><input type="checkbox" name="registered"> moved to where they lie there</label><label><input type="checkbox" name="linked"> linked: later changes follow</label><button type="button" id="trace-back">Trace back <kbd>Y</kbd></button></fieldset>
        <fieldset><legend>Fit to rough: pulled onto each rough</legend><span class="quiet">Keeps the points of each line; doubt shows where the rough disagrees.</span><button type="button" id="fit-rough" class="main">Fit to their roughs <kbd>H</kbd></button></fieldset></form>
        <div class="still"><b>Parts that keep still</b><div id="still"><button id="find-still">Look for them</button></div></div>`);
      body.querySelector('#trace-back').addEventListener('click', () => this.traceBack());
      body.querySelector('#fit-rough').addEventListener('click', () => this.fit());
      body.querySelector('#find-still').addEventListener('click', () => this.findStill());
      body.querySelector('form').addEventListener('submit', (event) => event.preventDefault());
    }
    const form = body.querySelector('form');
    const before = form.what.value;
    form.what.replaceChildren(...[['all', 'all lines'], ['chosen', `${this.chosen.size} chosen lines`], ...app.parts.names().map((n) => [`part:${n}`, `the part ${n}`])].map(([value, text]) => Object.assign(document.createElement('option'), { value, textContent: text })));
    form.what.value = this.chosen.size && !before ? 'chosen' : before || 'all';
    body.querySelector('#pass-from').textContent = app.current.number;
    form.to.options[0].textContent = `${[...app.chosen].filter((id) => id !== app.current.id).length} chosen on the sheet`;
    if (app.chosen.size < 2 && form.to.value === 'chosen') form.to.value = 'next';
  }

  async traceBack() {
    const { app } = this;
    const what = this.what();
    const to = this.targets();
    if (!to.length) { notice('Choose the drawings on the sheet first: click one, Shift and click another'); return; }
    const strokes = what.all ? (lineNow(app.current)?.strokes || []).map((s) => s.id) : what.strokes;
    if (!strokes.length) { notice('Choose the lines to trace back first: C, then click them'); return; }
    const form = this.body.querySelector('.pass');
    notice(`Tracing ${what.words} back to ${to.length} drawing${to.length === 1 ? '' : 's'}; it can be undone as one`);
    await this.post('trace-back', { drawing: app.current.id, strokes, part: what.part, to, registered: form?.registered.checked || false, linked: form?.linked.checked || false });
  }

  fit() {
    const { app } = this;
    const what = this.what();
    const to = this.targets();
    if (!to.length) { notice('Choose the drawings on the sheet first: click one, Shift and click another'); return; }
    if (!what.all && !what.strokes.length) { notice('Choose the lines to fit first: C, then click them'); return; }
    const kept = to.filter((id) => app.byId.get(id)?.touched).length;
    notice(`Fitting ${what.words} of drawing ${app.current.number} to ${to.length} drawing${to.length === 1 ? '' : 's'}${kept ? `; lines touched by hand stay in ${kept}` : ''}; it can be undone as one`);
    app.jobs.start(`/api/levels/${app.data.shot.level_id}/jobs`, { kind: 'fit', source: app.current.id, strokes: what.all ? [] : what.strokes, drawings: to });
  }

  async post(what, content) {
    const { app } = this;
    try {
      const answer = await post(`/api/levels/${app.data.shot.level_id}/${what}`, content);
      await app.refresh();
      await app.draw();
      return answer;
    } catch (error) { notice(error.message, true); return null; }
  }

  async findStill() {
    const { app } = this;
    const box = document.getElementById('still');
    box.textContent = 'Comparing the roughs …';
    try {
      const { held } = await get(`/api/levels/${app.data.shot.level_id}/held`);
      if (!held.length) { fill(box, html`<span class="quiet">None: every part moves, or is traced back already, or has no name yet.</span>`); return; }
      box.replaceChildren(...held.map((item) => {
        const row = document.createElement('p');
        fill(row, html`<b></b> in ${item.numbers[0]} to ${item.numbers[1]} moves ${item.moves} px of ${item.scatter} px scatter <button>Make equal</button>`);
        row.querySelector('b').textContent = item.part;
        row.querySelector('button').addEventListener('click', async () => {
          const answer = await this.post('trace-back', { drawing: item.drawings[0], part: item.part, to: item.drawings.slice(1), registered: false, linked: true });
          if (answer) { notice(`${item.part} is the same in ${item.drawings.length} drawings, and linked`); this.findStill(); }
        });
        return row;
      }));
    } catch (error) { box.textContent = error.message; }
  }

  // ---- in-betweens

  between() {
    const { app, body } = this;
    const { run } = app.data;
    if (!body.querySelector('.between')) {
      const options = run.map((d) => html`<option value="${d.id}">${d.number}${d.kind === 'key' ? ' key' : ''}</option>`);
      fill(body, html`<form class="between"><label>between <select name="first">${options}</select></label><label>and <select name="last">${options}</select></label>
        <label>spacing <select name="chart">${Object.entries(CHARTS).map(([id, words]) => html`<option value="${id}">${words}</option>`)}</select></label>
        <label class="own" hidden>shares <input name="shares" placeholder="0.33 0.66" size="16"></label>
        <label>of <select name="part"><option value="">all lines</option></select></label></form>
        <svg class="chart" viewBox="0 0 300 60" aria-label="Spacing chart"></svg>
        <p class="quiet">Lines are matched and move along arcs; a rigid part stays rigid. Lines a hand has touched in between stay. It is a proposal: correct it, or fit it to the roughs.</p>`);
      const form = body.querySelector('form');
      const [a, b] = this.nearestKeys();
      form.first.value = a;
      form.last.value = b;
      form.addEventListener('input', () => { form.querySelector('.own').hidden = form.chart.value !== 'own'; this.chart(); });
      form.addEventListener('submit', (event) => event.preventDefault());
    }
    const part = body.querySelector('[name="part"]');
    const before = part.value;
    part.replaceChildren(...['', ...app.parts.names()].map((n) => Object.assign(document.createElement('option'), { value: n, textContent: n || 'all lines' })));
    part.value = before;
    this.chart();
    this.button('Make in-betweens', () => this.makeBetween(), true, 'make-between');
  }

  nearestKeys() {
    const { run } = this.app.data;
    const k = run.indexOf(this.app.current);
    const key = (d) => d.kind === 'key' && d.strokes;
    const a = run.slice(0, k + 1).reverse().find(key) || run[0];
    const b = run.slice(run.indexOf(a) + 1).find(key) || run.at(-1);
    return [a.id, b.id];
  }

  wantedBetween() {
    const form = this.body.querySelector('.between');
    const { run } = this.app.data;
    const ids = [Number(form.first.value), Number(form.last.value)];
    const [a, b] = ids.map((id) => run.findIndex((d) => d.id === id)).sort((x, y) => x - y);
    const count = Math.max(0, b - a - 1);
    const own = form.chart.value === 'own';
    const shares = own ? (form.shares.value.trim() ? form.shares.value.trim().split(/[\s;]+/).map(Number) : Array.from({ length: count }, (_, k) => (k + 1) / (count + 1))) : null;
    return { first: ids[0], last: ids[1], chart: own ? shares : form.chart.value, part: form.part.value, count };
  }

  chart() {
    const { chart, count } = this.wantedBetween();
    const even = Array.from({ length: count }, (_, k) => (k + 1) / (count + 1));
    const ways = { even: (t) => t, 'ease in': (t) => 1 - (1 - t) ** 2, 'ease out': (t) => t * t, 'slow both': (t) => t * t * (3 - 2 * t) };
    const shares = Array.isArray(chart) ? chart.filter((v) => v > 0 && v < 1) : even.map(ways[chart]);
    fill(this.body.querySelector('.chart'), html`<path d="M10 30H290"/>${[0, ...shares, 1].map((v, k, all) => html`<path d="M${10 + 280 * v} ${k % (all.length - 1) ? 22 : 14}V${k % (all.length - 1) ? 38 : 46}"/>`)}`);
  }

  async makeBetween() {
    const want = this.wantedBetween();
    const answer = await this.post('between', want);
    if (answer && !answer.again) notice(`${answer.drawings.length} drawings have in-betweens of ${answer.matched} lines${answer.lost ? `; ${answer.lost} lines had no counterpart` : ''}; it can be undone as one`);
  }

  compare() { compare(this.app, this); }

  key(key) {
    if (key === 'y' || key === 'h') {
      if (this.view !== 'pass') { this.use('pass'); notice('Choose what is passed on and to which drawings, then press the key again'); return true; }
      if (key === 'y') this.traceBack(); else this.fit();
      return true;
    }
    return false;
  }
}

function dropGhost(app) { app.paper.ghost([]); }
