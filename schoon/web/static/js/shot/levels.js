// The stack of levels: the others are seen behind and before the drawing on the table; only its own level is worked on.

import { fill, html } from '../dom.js';
import { change, notice } from '../api.js';
import { writeName } from '../naming.js';
import { make } from './paper.js';

const $ = (id) => document.getElementById(id);

export class Levels {
  constructor(app) {
    this.app = app;
    this.all = app.data.levels;
    this.own = app.data.shot.level_id;
    this.aside = app.data.aside;
    const kept = JSON.parse(sessionStorage[`levels${app.data.shot.id}`] || '{}');
    this.hidden = new Set(kept.hidden || []);
    this.alone = kept.alone ?? null;
    $('levels-undo').addEventListener('click', () => app.sync.step('undo', 'stacks'));
    $('levels-redo').addEventListener('click', () => app.sync.step('redo', 'stacks'));
    $('see-levels').addEventListener('click', () => this.open($('levels-box').hidden));
    for (const what of ['drawn', 'time']) app.on(what, () => this.show(app.current));
    if (sessionStorage.levelsOpen) { delete sessionStorage.levelsOpen; this.open(true); }
  }

  open(on) {
    $('levels-box').hidden = !on;
    $('see-levels').setAttribute('aria-pressed', String(on));
    if (on) this.list();
  }

  get locked() { return this.all.find((l) => l.id === this.own)?.locked; }

  seen(level) { return this.alone === null ? !this.hidden.has(level.id) : level.id === this.alone; }

  // Changes with the drawing and with the colours it is seen in; nothing where there is no line.
  tag(level, drawing) {
    if (level.id !== this.own) return level.drawn[drawing] ? `${drawing}-${level.drawn[drawing]}-${level.tag}` : '';
    const entry = this.app.byId.get(drawing);
    return entry?.strokes ? `${drawing}-${entry.revision}-${this.app.colours.tag}` : '';
  }

  url(level, drawing, width, look = 'best') {
    const key = level.key ? `&key=${level.key}` : '';
    return `/drawings/${drawing}/view.webp?w=${width}&look=${look}&clear=1${key}&v=${this.tag(level, drawing)}`;
  }

  static at(level, frame) { return level.spans.find(([first, count]) => frame >= first && frame < first + count)?.[2]; }

  // What the other levels show at the frame that is looked at.
  show(entry) {
    const { data, table: { paper } } = this.app;
    const { frame: looked } = this.app;
    const here = data.spans.filter((s) => s[2] === entry.id);
    const frame = here.some(([first, count]) => looked >= first && looked < first + count) ? looked : here[0]?.[0];
    const sides = { behind: [], before: [] };
    let side = 'behind';
    for (const level of this.all) {
      if (level.id === this.own) { side = 'before'; continue; }
      const drawing = frame && this.seen(level) ? Levels.at(level, frame) : null;
      if (!drawing || level.drawn[drawing] === undefined) continue;
      const { width, height } = data.shot;
      sides[side].push(make('image', { href: this.url(level, drawing, 1920), width, height, preserveAspectRatio: 'none' }));
    }
    for (const [name, nodes] of Object.entries(sides)) paper.layers[name].replaceChildren(...nodes);
    const own = this.all.find((l) => l.id === this.own);
    paper.svg.dataset.own = own && !this.seen(own) ? 'hidden' : 'seen';
  }

  keep() {
    sessionStorage[`levels${this.app.data.shot.id}`] = JSON.stringify({ hidden: [...this.hidden], alone: this.alone });
    this.list();
    this.show(this.app.current);
  }

  // Front first, as the stack lies before the eye.
  list() {
    const { data } = this.app;
    const rows = [...this.all].reverse().map((level, k) => {
      const row = document.createElement('li');
      fill(row, html`<a></a><span class="ways"></span>`);
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
      way('seen', this.seen(level), () => { this.alone = null; if (!this.hidden.delete(level.id)) this.hidden.add(level.id); this.keep(); });
      way('alone', this.alone === level.id, () => { this.alone = this.alone === level.id ? null : level.id; this.keep(); });
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
      const row = Object.assign(document.createElement('li'), { textContent: `${level.name}, ${level.drawings} drawing${level.drawings === 1 ? '' : 's'}, lies aside ` });
      const button = Object.assign(document.createElement('button'), { textContent: 'bring back', ariaLabel: `Bring back ${level.name}` });
      button.addEventListener('click', () => this.putAside(level, false));
      row.append(button);
      return row;
    }));
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
        this.app.sync.undoes('stacks');
        notice(`The level is called ${level.name}`);
      },
      after: () => this.list(),
    });
  }

  async lock(level) {
    try {
      await change('stacks', this.app.data.shot.id, 'lock', { level: level.id, locked: !level.locked });
      level.locked = !level.locked;
      this.app.sync.undoes('stacks');
      this.list();
      this.app.tools.status();
    } catch (error) { notice(error.message, true); }
  }

  async order(level, step) {
    const k = this.all.indexOf(level);
    const order = [...this.all];
    [order[k], order[k + step]] = [order[k + step], order[k]];
    try {
      await change('stacks', this.app.data.shot.id, 'order', { levels: order.map((l) => l.id) });
      this.all.splice(0, this.all.length, ...order);
      this.app.sync.undoes('stacks');
      this.keep();
    } catch (error) { notice(error.message, true); }
  }
}
