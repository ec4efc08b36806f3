// The model dock: pots with their counts, the colour key, the sheet pictures.

import { fill, html } from '../dom.js';
import { notice, post } from '../api.js';
import { change } from '../edits/queue.js';

const $ = (id) => document.getElementById(id);
// Ms after which a press is a long one.
const LONG = 480;

export class Dock {
  constructor(app) {
    this.app = app;
    app.on('drawn', () => this.show());
    // What can be done to a pot is the stop's to say.
    for (const what of ['stop', 'lent', 'pots']) app.on(what, () => { if ($('pots')) this.build($('pots')); });
    this.rows(localStorage.potRows === 'yes');
    $('pots-rows').addEventListener('click', () => this.rows(localStorage.potRows !== 'yes'));
    $('key')?.addEventListener('change', (event) => this.useKey(Number(event.target.value)));
    $('dock-picture')?.addEventListener('click', (event) => this.turnSheet(event));
  }

  rows(on) {
    $('pots')?.classList.toggle('rows', on);
    $('pots-rows').setAttribute('aria-pressed', String(on));
    localStorage.potRows = on ? 'yes' : '';
  }

  // Whose pots are in the dock: those of a stop that pours, also while its tool is only lent.
  get stage() {
    const lent = this.app.tools?.lent?.stage;
    return lent?.patches === 'pots' ? lent : this.app.stage;
  }

  show() {
    const { app, stage } = this;
    const { data } = app;
    const list = $('pots');
    if (!list) return;
    const counts = stage.counts();
    const remarks = new Map(stage.remarks().map((r) => [r.pot, r]));
    if (list.querySelectorAll('[data-pot]').length !== data.pots.length) this.build(list);
    for (const item of list.querySelectorAll('[data-pot]')) {
      const pot = Number(item.dataset.pot);
      const remark = remarks.get(pot);
      const count = item.querySelector('.count');
      count.textContent = counts ? said(remark, counts.get(pot) || 0) : '';
      count.classList.toggle('off', Boolean(remark));
      count.title = counts ? saidInWords(remark, counts.get(pot) || 0) : '';
    }
    this.showWords(counts, [...remarks.values()]);
  }

  build(list) {
    let part = '';
    list.replaceChildren(...this.app.data.pots.flatMap((pot) => {
      const item = this.potItem(pot);
      if (pot.part === part) return [item];
      part = pot.part;
      const head = Object.assign(document.createElement('li'), { className: 'part', textContent: part || 'Without a part' });
      head.setAttribute('role', 'presentation');
      return [head, item];
    }));
    this.stage.markPot?.();
  }

  potItem(pot) {
    const { stage } = this;
    const item = document.createElement('li');
    item.dataset.pot = pot.id;
    item.setAttribute('role', 'option');
    item.tabIndex = 0;
    fill(item, html`<span class="swatch" style="background: var(--pot-${pot.id})"></span><span>${pot.name}</span>
      <span class="pot-ways">${stage.potWays.map(([way, words]) => html`<button data-way="${way}" aria-pressed="false"
        aria-label="${words} ${pot.name}">${words}</button>`)}</span>
      <span class="count"></span>`);
    for (const button of item.querySelectorAll('[data-way]')) {
      button.addEventListener('click', (event) => { event.stopPropagation(); stage.potWay(button.dataset.way, pot.id); });
    }
    const pick = () => stage.selectPot(pot.id, true);
    // A long press, or with Shift while one is tuned, tunes it.
    let held = 0;
    item.addEventListener('pointerdown', (event) => {
      if (!event.target.closest('button')) held = setTimeout(() => { held = -1; stage.tuning?.begin(pot.id, event.shiftKey); }, LONG); });
    for (const end of ['pointerup', 'pointerleave', 'pointercancel']) item.addEventListener(end, () => { if (held > 0) { clearTimeout(held); held = 0; } });
    item.addEventListener('click', (event) => {
      if (held < 0) { held = 0; return; }
      if (event.shiftKey && stage.tuning?.open) stage.tuning.begin(pot.id, true); else pick();
    });
    item.addEventListener('keydown', (event) => { if (event.key !== 'Enter') return; event.stopPropagation();
      if (stage.pot === pot.id && stage.tuning) stage.tuning.begin(pot.id, event.shiftKey); else pick(); });
    if (stage.tuning) item.title = 'A press takes it; a long press, or Enter once more, tunes its colour';
    return item;
  }

  showWords(counts, remarks) {
    const { app, stage } = this;
    const { data } = app;
    const words = $('dock-words');
    if (!counts) {
      const { outline, inner, detail, taper, swell } = data.rule;
      words.textContent = `Line rule: outline ${outline}, inner ${inner}, detail ${detail} px${taper ? `, ends taper over ${taper} px` : ''}${swell
        ? ', thick and thin by pressure' : ''}.`;
      return;
    }
    if (!app.current.painted) { words.textContent = 'Nothing is painted in this drawing yet.'; return; }
    const title = 'The model takes the counts and shares of its pots from this drawing';
    fill(words, html`${inWords(data, remarks, counts)} ${stage.expect ? html`<button id="expect" title="${title}">Count as the model</button>` : ''}`);
    words.querySelector('#expect')?.addEventListener('click', () => stage.expect());
  }

  async useKey(key) {
    const { app } = this;
    app.colours.use(key);
    try { await change('stacks', app.data.shot.id, 'key', { level: app.level, key }); } catch (error) { notice(error.message, true); }
  }

  // With the sampler in the hand a click on the sheet picture samples it; else the next one is shown.
  turnSheet(event) {
    const box = event.currentTarget;
    const image = box.querySelector('img');
    const pictures = JSON.parse(box.dataset.pictures);
    const at = Number(box.dataset.at || 0);
    if (this.app.tools.now?.sampled && event.detail) { this.sample(image, pictures[at].sha256, event); return; }
    // Small until it is pressed; large, a press turns to the next one, and after the last it is small again.
    const large = box.classList.contains('large');
    const next = large ? (at + 1) % pictures.length : at;
    box.classList.toggle('large', !large || next > 0);
    box.dataset.at = next;
    image.src = `/pictures/${pictures[next].sha256}`;
    $('dock-count').textContent = `${pictures[next].caption}, ${next + 1} of ${pictures.length}`;
  }

  async sample(image, picture, event) {
    const { app } = this;
    const { naturalWidth, naturalHeight } = image;
    const box = image.getBoundingClientRect();
    const scale = Math.min(box.width / naturalWidth, box.height / naturalHeight);
    const at = [
      (event.clientX - box.left - (box.width - naturalWidth * scale) / 2) / scale,
      (event.clientY - box.top - (box.height - naturalHeight * scale) / 2) / scale,
    ];
    try {
      const { near } = await post(`/api/models/${app.data.model}/sample`, { picture, at });
      const pot = near && app.data.pots.find((p) => p.name === near.pot);
      if (pot) app.tools.now.sampled(pot.id); else notice('No pot looks like this place of the sheet');
    } catch (error) { notice(error.message, true); }
  }
}

// What stands on a pot: its patches here, and in a sign what the model says if it says otherwise; in words for the pointer.
const SIZES = { large: '▲', small: '▼' };

function said(remark, count) {
  if (!remark) return count || '–';
  return SIZES[remark.what] ? `${count}${SIZES[remark.what]}` : `${count}/${remark.expected}`;
}

function saidInWords(remark, count) {
  if (!remark) return `${count} here`;
  return SIZES[remark.what] ? `${count} here, ${remark.what} beside the model` : `${count} here, ${remark.expected} in the model`;
}

function inWords(data, remarks, counts) {
  const name = (id) => data.pots.find((p) => p.id === id)?.name.toLowerCase() ?? 'a pot';
  const list = (what) => remarks.filter((r) => r.what === what).map((r) => name(r.pot));
  if (!data.pots.some((p) => p.expected !== null)) {
    const missing = data.pots.filter((p) => !counts.get(p.id)).map((p) => p.name.toLowerCase());
    return missing.length ? `Not in this drawing: ${missing.join(', ')}.` : 'Every pot is in this drawing.';
  }
  const parts = [['missing', 'Missing'], ['fewer', 'Fewer than the model'], ['more', 'More than the model'], ['large', 'Larger share'],
    ['small', 'Smaller share']]
    .map(([what, words]) => [words, list(what)]).filter(([, found]) => found.length).map(([words, found]) => `${words}: ${found.join(', ')}.`);
  return parts.join(' ') || 'As the model says.';
}
