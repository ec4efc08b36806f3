// Parts through the run: a part's lines used for another part, and what a form hides.

import { fill, html } from '../../dom.js';
import { get, notice, post } from '../../api.js';
import { change } from '../../edits/queue.js';
import { about, multiply, scaledBy, shifted, turnedBy } from '../../pure/geometry.js';
import { lineNow } from '../../shot/drawings.js';
import { View } from './view.js';

const PAUSE = 150;

// Where in the box of a part it is scaled and turned about: a limb about its joint.
const JOINTS = { middle: [0.5, 0.5], top: [0.5, 0], bottom: [0.5, 1], left: [0, 0.5], right: [1, 0.5] };
const many = (n) => `${n} drawing${n === 1 ? '' : 's'}`;

export class PartsView extends View {
  show() {
    const { app, body } = this;
    if (!body.querySelector('.again')) this.build();
    const names = app.parts.names();
    const all = { whole: 'all parts', behind: 'what is behind' };
    for (const select of [this.form.part, this.hides.front, this.hides.behind, this.hides.whole, this.hides.smeared]) {
      const before = select.value;
      fill(select, html`${all[select.name] ? html`<option value="">${all[select.name]}</option>` : ''}${names.map((name) => html`<option>${name}</option>`)}`);
      if (names.includes(before)) select.value = before;
    }
    fill(this.form.querySelector('datalist'), names.map((name) => html`<option value="${name}"></option>`));
    this.where.options[0].textContent = `drawing ${app.current.number}`;
    this.where.options[1].textContent = `${app.chosen.size} chosen on the sheet`;
    if (app.chosen.size > 1 && !this.touched) this.where.value = 'chosen';
    this.follows();
    this.ledge.button('Off the model sheet', () => this.app.tools.use('sheet-part'), false, 'off-sheet');
    this.ledge.button('Use again', () => this.use(), true, 'use-again');
    this.try();
  }

  build() {
    const { body } = this;
    fill(body, html`<form class="part-form again">
        <div><label><b>Use</b> lines of <select name="part"></select></label>
          <label>as <input name="name" list="part-names" maxlength="60" size="14" placeholder="name of a part"><datalist id="part-names"></datalist></label>
          <label>in <select name="where" aria-label="In which drawings"><option value="this"></option><option value="chosen"></option><option
            value="all">all drawings</option></select></label></div>
        <div><label><input name="shift" type="number" value="0" min="-200" max="200"> drawings later</label>
          <label title="What would come from beyond an end comes from the other"><input type="checkbox" name="around"> round the end</label>
          <label title="Not at all in the first of the drawings, all of it in the last"><input type="checkbox" name="grows"> bit by bit</label>
          <label><input type="checkbox" name="mirror"> mirrored</label></div>
        <div><label>right <input name="dx" type="number" value="0" aria-label="Px to the right"> down <input name="dy" type="number" value="0"
          aria-label="Px down"></label>
          <label>size <input name="size" type="number" value="100" min="5" max="800" aria-label="Size in percent"> % turn <input name="turn" type="number"
            value="0" min="-360" max="360" aria-label="Turn in degrees"> °</label>
          <label>about <select name="joint" aria-label="What is scaled and turned about">${Object.keys(JOINTS)
            .map((id) => html`<option>${id}</option>`)}</select></label></div>
        <div><label>with <select name="come" aria-label="How they come"><option value="painted">paint and tones</option><option
          value="lines">lines alone</option><option value="rough">a pale rough to draw over</option></select></label>
          <label>lying <select name="order" aria-label="How it lies"><option value="as it is">with the lines there</option><option
            value="behind">behind what is there</option><option value="over">in front, and hides it</option></select></label>
          <label title="What is changed of the first part later is changed here too, but where a hand has changed it here"><input type="checkbox"
            name="linked"> linked</label></div>
        <p class="follows" hidden></p></form>
      <form class="part-form hides"><b>Hide and smear</b> <span class="quiet">in the same drawings</span>
        <label><select name="front" aria-label="The form in front"></select> hides <select name="behind"
          aria-label="What it hides"></select></label><button type="button" id="trim-behind">Hide</button>
        <label>part <select name="whole"></select></label><button type="button" id="make-whole">Make whole</button><button type="button" id="complete"
          title="What lies in front of it hides the rest, which is taken from drawings that show it">Complete from neighbours</button>
        <label>smear <select name="smeared"></select> <input name="amount" type="number" value="100" min="10" max="400" step="10"
          aria-label="How far, in percent"> %</label><button type="button" id="smear">Smear</button>
        <p class="quiet">Lines behind a form end at its outline and are kept; hide again after something has moved.</p></form>`);
    this.where = body.querySelector('[name="where"]');
    this.form = body.querySelector('.again');
    this.hides = body.querySelector('.hides');
    this.where.addEventListener('change', () => { this.touched = true; this.follows(); });
    this.form.addEventListener('input', () => { clearTimeout(this.waiting); this.waiting = setTimeout(() => this.try(), PAUSE); });
    for (const form of [this.form, this.hides]) form.addEventListener('submit', (event) => event.preventDefault());
    for (const [id, act] of [['trim-behind', 'trim'], ['make-whole', 'whole'], ['complete', 'complete'], ['smear', 'smear']]) body.querySelector(`#${id}`)
      .addEventListener('click', () => this[act]());
  }

  // Ids of the drawings that are meant.
  get drawings() {
    const { app } = this;
    if (this.where.value === 'all') return app.data.run.map((d) => d.id);
    return this.where.value === 'chosen' && app.chosen.size ? [...app.chosen] : [app.current.id];
  }

  // How the lines are laid, about a place of the part as it is here.
  get matrix() {
    const { form, app } = this;
    const value = (name) => Number(form[name].value) || 0;
    const own = (lineNow(app.current)?.strokes || []).filter((s) => s.part === form.part.value).flatMap((s) => s.points);
    const centre = [0, 1].map((k) => {
      const all = own.filter((_, i) => i % 2 === k);
      const share = JOINTS[form.joint.value][k];
      return all.length ? Math.min(...all) * (1 - share) + Math.max(...all) * share : app.table.view.size[k] / 2;
    });
    const size = (value('size') || 100) / 100;
    const laid = about(...centre, multiply(turnedBy((value('turn') * Math.PI) / 180), scaledBy(form.mirror.checked ? -size : size, size)));
    return multiply(shifted(value('dx'), value('dy')), laid);
  }

  get wanted() {
    const { form } = this;
    return {
      part: form.part.value, name: form.name.value.trim(), drawings: this.drawings, shift: Math.round(Number(form.shift.value) || 0),
      around: form.around.checked, matrix: this.matrix, grows: form.grows.checked, order: form.order.value, painted: form.come.value === 'painted',
        rough: form.come.value === 'rough', linked: form.linked.checked,
    };
  }

  // The lines as this drawing would get them, on the paper.
  async try() {
    const { app, wanted } = this;
    if (!wanted.part || !wanted.name) { app.table.paper.ghost([]); return; }
    const entry = app.current;
    try {
      const { strokes } = await post(`/api/levels/${app.level}/again/${entry.id}/try`, wanted);
      if (entry === app.current && this.ledge.view === 'parts') app.table.paper.ghost(strokes);
    } catch { app.table.paper.ghost([]); }
  }

  // What follows another part in the drawings that are meant, with the act that sets it free.
  async follows() {
    const { app } = this;
    const line = this.form.querySelector('.follows');
    let follow = {};
    try { ({ follow } = await get(`/api/levels/${app.level}/again`)); } catch (error) { notice(error.message, true); }
    const meant = this.drawings.filter((id) => follow[id]);
    const names = [...new Set(meant.flatMap((id) => follow[id].map(({ name }) => name)))];
    line.hidden = !names.length;
    fill(line, names.map((name) => {
      const own = meant.filter((id) => follow[id].some((use) => use.name === name));
      const { part, from } = follow[own[0]].find((use) => use.name === name);
      const where = own.length > 1 ? many(own.length) : from ? `drawing ${from}` : 'a drawing that is gone';
      return html`<span>${name} follows ${part} ${own.length > 1 ? 'in' : 'of'} ${where} <button type="button" class="set-free"
        data-part="${name}">Set free</button></span>`;
    }));
    for (const button of line.querySelectorAll('.set-free')) {
      const { part } = button.dataset;
      const of = meant.filter((id) => follow[id].some(({ name }) => name === part));
      button.addEventListener('click', () => this.onAll({ do: 'set-free', of, parts: [part] }, `${part} follows no other part`));
    }
  }

  async use() {
    const { wanted } = this;
    if (!wanted.part) { notice('Name parts in the dock first'); return; }
    if (!wanted.name) { notice('Name the part that the lines become'); return; }
    const found = await this.touching('again', wanted.rough ? '' : wanted.name, `Use ${wanted.part} as ${wanted.name}`);
    const answer = found && await this.ledge.post('again', { ...wanted, ...found });
    if (!answer || answer.again) return;
    this.app.table.paper.ghost([]);
    notice(`${wanted.part} is ${wanted.name} in ${many(answer.drawings.length)}${wanted.linked ? ', and follows it' : ''}; it can be undone as one`);
  }

  // What of the drawings is to change; those that were named one by one are.
  touching(act, part, words) {
    const { drawings } = this;
    const named = this.where.value === 'all' && drawings.length > 1 ? [] : drawings;
    return this.app.touches.ask({ act, part, drawings }, `${words} in ${many(drawings.length)}`, named);
  }

  // Parts that one hides: the one that is said, or all behind it by the order in depth that holds here; what the order does
  // not know lies behind what it knows, and before a form that it does not know everything is behind.
  behind(front) {
    const said = this.hides.behind.value;
    if (said) return [said];
    const order = this.app.depth.parts;
    const place = (name) => (order.includes(name) ? order.indexOf(name) : order.length);
    const before = order.includes(front) ? place(front) : -1;
    return [...this.app.parts.names(), ''].filter((name) => name !== front && place(name) > before);
  }

  async trim() {
    const part = this.hides.front.value;
    if (!part) { notice('Name parts in the dock first'); return; }
    const behind = this.behind(part);
    await this.onAll({ do: 'trim-behind', of: this.drawings, part, behind }, `What lies behind ${part} is hidden`);
  }

  async whole() {
    const part = this.hides.whole.value;
    await this.onAll({ do: 'whole', of: this.drawings, parts: part ? [part] : [...this.app.parts.names(), ''] }, `${part || 'All parts'} whole again`);
  }

  // Parts that may lie before one, by the order in depth that holds here; all others where that does not know it.
  before(part) {
    const order = this.app.depth.parts;
    const others = this.app.parts.names().filter((name) => name !== part);
    return order.includes(part) ? others.filter((name) => order.includes(name) && order.indexOf(name) < order.indexOf(part)) : others;
  }

  async complete() {
    const part = this.hides.whole.value;
    if (!part) { notice('Choose the part that is to be completed'); return; }
    const answer = await this.ledge.post('complete', { part, drawings: this.drawings, fronts: this.before(part) });
    if (answer && !answer.again) notice(`${part} goes on behind what covers it in ${many(answer.drawings.length)}; Make whole shows it`);
  }

  // Drawn long along its way, and said to be so on purpose.
  async smear() {
    const { smeared: { value: part }, amount } = this.hides;
    if (!part) { notice('Name parts in the dock first'); return; }
    const found = await this.touching('smear', part, `Draw ${part} long`);
    const answer = found && await this.ledge.post('smear', { part, ...found, amount: (Number(amount.value) || 100) / 100 });
    if (answer && !answer.again) notice(`${part} is drawn long in ${many(answer.drawings.length)}, on purpose: no rule asks about them`);
  }

  async onAll(act, words) {
    const { app } = this;
    try {
      const answer = await change('levels', app.level, act.do, act);
      await app.sync.refresh();
      await app.table.draw();
      notice(`${words} in ${many(answer.drawings.length)}; it can be undone as one`);
    } catch (error) { notice(error.message, true); }
  }
}
