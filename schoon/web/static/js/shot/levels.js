// The stack of levels: the others are seen behind and before the drawing on the table; only its own level is worked on.

import { fill, html } from '../dom.js';
import { notice, post } from '../api.js';
import { change } from '../edits/queue.js';
import { writeName } from '../naming.js';
import { inverse, multiply } from '../pure/geometry.js';
import { shown, writeLabel } from './label.js';
import { make } from './paper.js';

const KINDS = { drawings: 'drawings', pictures: 'pictures to trace', backdrop: 'backdrop', guide: 'guide' };
const LIES = { fit: 'inside', fill: 'over all', own: 'own size' };
// Stages a level can do without.
const SKIPPED = ['line', 'seal', 'paint', 'tone'];
const $ = (id) => document.getElementById(id);

export class Levels {
  constructor(app) {
    this.app = app;
    this.all = app.data.levels;
    this.own = app.data.shot.level_id;
    this.aside = app.data.aside;
    const kept = JSON.parse(sessionStorage[`levels${app.data.shot.id}`] || '{}');
    this.alone = kept.alone ?? null;
    $('levels-undo').addEventListener('click', () => app.sync.step('undo', 'stacks'));
    $('levels-redo').addEventListener('click', () => app.sync.step('redo', 'stacks'));
    $('see-levels').addEventListener('click', () => this.open($('levels-box').hidden));
    for (const what of ['drawn', 'time', 'run']) app.on(what, () => this.show());
    if (sessionStorage.levelsOpen) { delete sessionStorage.levelsOpen; this.open(true); }
  }

  open(on) {
    $('levels-box').hidden = !on;
    $('see-levels').setAttribute('aria-pressed', String(on));
    if (on) this.list();
  }

  // The list is as it was before, or as it will be again.
  stepped() { if (!$('levels-box').hidden) this.list(); }

  get locked() { return this.all.find((l) => l.id === this.own)?.locked; }

  seen(level) { return this.alone === null ? level.visible : level.id === this.alone; }

  // Changes with all that is seen of a drawing; nothing where nothing is. frame: that by which it lies, 0 for none.
  tag(level, drawing, frame = 0) {
    const place = frame ? `-${level.places[frame - 1] ?? ''}` : '';
    const look = `${level.opacity}${level.tint || ''}${level.kind[0]}${level.lies}${(level.roughs[drawing] || '').slice(-12)}`;
    if (level.id !== this.own) {
      if (!level.drawn[drawing] && !level.roughs[drawing]) return '';
      return `${drawing}-${level.drawn[drawing] || 0}-${level.tag}-${look}${place}`;
    }
    const entry = this.app.byId.get(drawing);
    return entry?.strokes || level.roughs[drawing] ? `${drawing}-${entry.revision}-${this.app.colours.tag}-${look}${place}` : '';
  }

  static at(level, frame) { return level.spans.find(([first, count]) => frame >= first && frame < first + count)?.[2]; }

  // The frame that is looked at, if the drawing on the table stands there, else its first.
  get frame() {
    const { data, current, frame } = this.app;
    const here = data.spans.filter(([, , id]) => id === current.id);
    return here.some(([first, count]) => frame >= first && frame < first + count) ? frame : here[0]?.[0];
  }

  // Where pictures of a size lie on the paper of a level; on all of it where they are as large.
  static lying(level, [wide, high]) {
    const [width, height] = level.paper;
    const sides = [width / wide, height / high];
    const scale = { fit: Math.min(...sides), fill: Math.max(...sides), own: 1 }[level.lies];
    return { x: (width - scale * wide) / 2, y: (height - scale * high) / 2, width: scale * wide, height: scale * high };
  }

  get mine() { return this.all.find((l) => l.id === this.own); }

  // Where a level lies in the frame that is looked at.
  placeOf(level) { return level.places[(this.frame ?? 1) - 1] ?? [1, 0, 0, 1, 0, 0]; }

  // From the paper of another drawing of the run to that of the one on the table, by where both lie in the shot; null if the
  // level lies still.
  between(entry) {
    const { places } = this.mine;
    const at = this.app.data.spans.find(([, , id]) => id === entry.id)?.[0];
    return places.length && at ? multiply(inverse(this.placeOf(this.mine)), places[at - 1]) : null;
  }

  // What the other levels show at the frame that is looked at, laid so that the drawing on the table lies as it was drawn;
  // while a level is placed, all lie as they do in the shot.
  show() {
    const { app } = this;
    const { data, table: { paper } } = app;
    const { frame } = this;
    const sides = { behind: [], before: [] };
    let side = 'behind';
    for (const level of this.all) {
      if (level.id === this.own) { side = 'before'; continue; }
      const drawing = frame && this.seen(level) ? Levels.at(level, frame) : null;
      const tag = drawing && this.tag(level, drawing, frame);
      if (tag) sides[side].push([drawing, tag]);
    }
    const [width, height] = data.frame;
    const lies = this.placeOf(this.mine);
    const placing = app.placer?.on;
    const back = placing ? '' : `matrix(${inverse(lies).join(',')})`;
    for (const [name, found] of Object.entries(sides)) {
      const href = `/shots/${data.shot.id}/frames/together.webp?w=1920&look=best&framed=0&clear=1&frame=${frame}&drawings=${found.map(([id]) => id)
        .join(',')}&v=${found.map(([, tag]) => tag).join('.')}`;
      paper.layers[name].replaceChildren(...(found.length
        ? [make('image', { href, width, height, preserveAspectRatio: 'none', ...(back ? { transform: back } : {}) })] : []));
    }
    paper.placed(placing ? lies : null);
    paper.field(this.fieldLines(placing ? null : lies), data.frame);
    paper.svg.dataset.own = this.seen(this.mine) ? 'seen' : 'hidden';
  }

  // The edges of the field the audience sees, and of the frame where the paper lies elsewhere in it.
  fieldLines(lies) {
    const { framing } = this.app.data;
    const back = lies ? inverse(lies) : [1, 0, 0, 1, 0, 0];
    const lines = [];
    const field = framing.fields[(this.frame ?? 1) - 1];
    if (field) for (const kind of ['seen', 'safe']) lines.push({ kind, matrix: multiply(back, field) });
    if (lies && this.mine.places.length) lines.push({ kind: 'shot', matrix: back });
    return lines;
  }

  keep() {
    sessionStorage[`levels${this.app.data.shot.id}`] = JSON.stringify({ alone: this.alone });
    this.list();
    this.show();
  }

  // Front first, as the stack lies before the eye.
  list() {
    const { data } = this.app;
    const rows = [...this.all].reverse().map((level, k) => {
      const row = document.createElement('li');
      fill(row, html`<a></a><span class="ways"></span><span class="looks"></span>`);
      const link = row.querySelector('a');
      link.textContent = level.name;
      link.href = `/shots/${data.shot.id}/${data.stage}?level=${level.id}`;
      if (level.id === this.own) link.setAttribute('aria-current', 'true');
      const way = (words, pressed, act, disabled = false) => {
        const button = Object.assign(document.createElement('button'), { textContent: words, disabled });
        button.setAttribute('aria-label', `${words} ${level.name}`);
        if (pressed !== null) button.setAttribute('aria-pressed', String(pressed));
        button.addEventListener('click', act);
        row.querySelector('.ways').append(button);
      };
      way('seen', this.seen(level), () => { this.alone = null; this.sight(level, { visible: !level.visible }); });
      way('alone', this.alone === level.id, () => { this.alone = this.alone === level.id ? null : level.id; this.keep(); });
      this.looks(row, level);
      way('locked', level.locked, () => this.lock(level));
      way('rename', null, () => this.rename(level, link));
      way('forward', null, () => this.order(level, 1), k === 0);
      way('back', null, () => this.order(level, -1), k === this.all.length - 1);
      way('put aside', null, () => this.putAside(level, true), level.locked || this.all.length === 1);
      return row;
    });
    $('levels-list').replaceChildren(...rows);
    $('levels-aside').hidden = !this.aside.length;
    $('levels-aside').replaceChildren(...this.aside.map((level) => {
      const row = Object.assign(document.createElement('li'),
        { textContent: `${level.name}, ${level.drawings} drawing${level.drawings === 1 ? '' : 's'}, lies aside ` });
      const button = Object.assign(document.createElement('button'), { textContent: 'bring back', ariaLabel: `Bring back ${level.name}` });
      button.addEventListener('click', () => this.putAside(level, false));
      row.append(button);
      return row;
    }));
  }

  // What a level is for and how it is seen, below its name.
  looks(row, level) {
    const box = row.querySelector('.looks');
    fill(box, html`<select aria-label="What ${level.name} is for">${Object.entries(KINDS)
      .map(([kind, words]) => html`<option value="${kind}">${words}</option>`)}</select>
      <label>opacity <input type="range" min="5" max="100" step="5" value="${level.opacity}" aria-label="Opacity of ${level.name}"></label>
      ${level.kind === 'drawings' ? '' : html`<select data-do="lay" aria-label="How pictures of ${level.name} lie in the frame"
        title="How its pictures lie in the frame; place moves and scales them by hand">${Object.entries(LIES)
          .map(([id, words]) => html`<option value="${id}">${words}</option>`)}</select>`}
      ${level.kind === 'guide' ? html`<label>tint <input type="color" value="${level.tint || '#1d2b3a'}" aria-label="Tint of ${level.name}"></label>` : ''}
      <button data-do="place" aria-label="Place ${level.name}">place${level.places.length ? ' ◆' : ''}</button>
      <button data-do="copy" aria-label="Copy ${level.name}" title="A level like it, in front">copy …</button>
      ${level.linked ? html`<button data-do="free"
        title="Its drawings are those of the level it was copied from; free it, and they are its own">linked · free</button>` : ''}
      <button data-do="label" aria-label="Label of ${level.name}">${level.label ? shown(level.label) : 'label …'}</button>
      ${level.kind === 'drawings' ? html`<span class="skips" role="group"
        aria-label="Stages of ${level.name}">${SKIPPED.map((stage) => html`<button data-skip="${stage}" aria-pressed="${!level.skips.includes(stage)}"
          title="${level.skips.includes(stage) ? 'It does without' : 'It goes through'}">${stage}</button>`)}</span>` : ''}`);
    for (const button of box.querySelectorAll('[data-skip]')) {
      const { skip } = button.dataset;
      button.addEventListener('click', () => this.stack('skip',
        { level: level.id, stages: level.skips.includes(skip) ? level.skips.filter((s) => s !== skip) : [...level.skips, skip] }));
    }
    box.querySelector('[data-do="free"]')?.addEventListener('click', () => this.stack('free', { level: level.id }));
    box.querySelector('[data-do="copy"]').addEventListener('click', () => this.copy(level));
    box.querySelector('[data-do="label"]').addEventListener('click', (event) => this.label(level, event.currentTarget));
    const [kind] = box.querySelectorAll('select');
    const lay = box.querySelector('[data-do="lay"]');
    if (lay) lay.value = level.lies;
    lay?.addEventListener('change', () => this.stack('lay', { level: level.id, lay: lay.value }));
    kind.value = level.kind;
    kind.addEventListener('change', () => this.purpose(level, kind.value));
    box.querySelector('[type="range"]').addEventListener('change', (event) => this.sight(level, { opacity: Number(event.target.value) }));
    box.querySelector('[type="color"]')?.addEventListener('change', (event) => this.sight(level, { tint: event.target.value }));
    box.querySelector('[data-do="place"]').addEventListener('click', () => this.app.placer.begin(level));
  }

  // The page is opened anew where the paper that is worked on becomes another one.
  async purpose(level, kind) {
    const before = level.paper.join();
    await this.stack('purpose', { level: level.id, kind });
    const now = this.all.find((l) => l.id === level.id);
    if (level.id === this.own && now.paper.join() !== before) { sessionStorage.levelsOpen = 'yes'; location.reload(); }
  }

  // What is asked of a copy stands in a small form in place of the row of its looks.
  copy(level) {
    const box = $('levels-aside');
    const names = this.all.map((l) => l.name.toLowerCase());
    let name = `${level.name} copy`;
    for (let k = 2; names.includes(name.toLowerCase()); k += 1) name = `${level.name} copy ${k}`;
    const row = document.createElement('li');
    fill(row, html`<form class="copy-level"><b>Copy ${level.name}</b> <input name="name" maxlength="60" value="${name}" aria-label="Name of the copy"
      autocomplete="off"> <select name="what" aria-label="What is copied" autocomplete="off"><option value="all">with lines, paint, tones</option><option
        value="linked" title="What is done to one is done to the other; its time and place are its own">linked: the same drawings</option><option
          value="lines">with rough and lines</option><option value="timing">its timing alone</option></select> <button>Copy</button></form>`);
    box.hidden = false;
    box.append(row);
    row.querySelector('input').focus();
    row.querySelector('form').addEventListener('submit', async (event) => {
      event.preventDefault();
      const { name: called, what } = event.target.elements;
      try {
        const { level: made } = await post(`/api/levels/${level.id}/duplicate`, { name: called.value, what: what.value });
        sessionStorage.levelsOpen = 'yes';
        location.assign(`/shots/${this.app.data.shot.id}/${this.app.data.stage}?level=${made}`);
      } catch (error) { notice(error.message, true); }
    });
  }

  label(level, node) {
    writeLabel(node, { now: level.label, about: level.name, keep: (written) => this.stack('label-level', { level: level.id, written }),
      after: () => this.list() });
  }

  sight(level, fields) { return this.stack('sight', { level: level.id, ...fields }); }

  // An edit of the stack after which everything is read anew.
  async stack(what, fields) {
    try {
      await change('stacks', this.app.data.shot.id, what, fields);
      await this.app.sync.refresh();
      this.keep();
    } catch (error) { notice(error.message, true); this.list(); }
  }

  // Nothing is lost by it: all drawings and revisions come back with the level. The page is opened anew, so that the
  // sheet, the stage track and the stack agree again.
  async putAside(level, aside) {
    try {
      await change('stacks', this.app.data.shot.id, 'aside', { level: level.id, aside });
      const { data } = this.app;
      const to = !aside ? level.id : level.id === this.own ? null : this.own;
      sessionStorage.levelsOpen = 'yes';
      location.assign(`/shots/${data.shot.id}/${data.stage}${to ? `?level=${to}` : ''}`);
    } catch (error) { notice(error.message, true); }
  }

  rename(level, link) {
    writeName(link, {
      now: level.name,
      label: `New name of ${level.name}`,
      save: async (name) => {
        level.name = (await change('stacks', this.app.data.shot.id, 'rename', { level: level.id, name })).levels[level.id].name;
        notice(`The level is called ${level.name}`);
      },
      after: () => this.list(),
    });
  }

  async lock(level) {
    try {
      await change('stacks', this.app.data.shot.id, 'lock', { level: level.id, locked: !level.locked });
      level.locked = !level.locked;
      this.list();
      this.app.tools.status();
    } catch (error) { notice(error.message, true); }
  }

  async order(level, step) {
    const k = this.all.indexOf(level);
    const order = [...this.all];
    [order[k], order[k + step]] = [order[k + step], order[k]];
    try {
      // One level is moved, so that another hand on the stack keeps what it did.
      await change('stacks', this.app.data.shot.id, 'restack', { level: level.id, over: order[k + step - 1]?.id ?? null });
      this.all.splice(0, this.all.length, ...order);
      this.keep();
    } catch (error) { notice(error.message, true); }
  }
}
