// The history of a shot: what was done, by whom and when, before and after, and back to any of it.

import { fill, html } from '../dom.js';
import { get, notice, post } from '../api.js';

const $ = (id) => document.getElementById(id);
const SEEN = 3;
const clock = new Intl.DateTimeFormat('en-GB', { hour: '2-digit', minute: '2-digit' });
const day = new Intl.DateTimeFormat('en-GB', { day: 'numeric', month: 'long' });

export class History {
  constructor(app) {
    this.app = app;
    $('see-history').addEventListener('click', () => this.open($('history').hidden));
    $('history-keep').addEventListener('submit', (event) => { event.preventDefault(); this.keep(event.target.elements.name.value); event.target.reset(); });
    $('history-close').addEventListener('click', () => this.open(false));
    document.addEventListener('keydown', (event) => { if (event.key === 'Escape' && !$('history').hidden) this.open(false); });
  }

  async open(on) {
    $('history').hidden = !on;
    $('see-history').setAttribute('aria-expanded', String(on));
    if (!on) { $('see-history').focus(); return; }
    // At once: whoever writes a name while the list is read keeps on writing.
    $('history-close').focus();
    await this.load();
  }

  async load() {
    const list = $('history-list');
    if (!list.children.length) fill(list, html`<li class="quiet">Reading …</li>`);
    let found;
    try { found = await get(`/api/shots/${this.app.data.shot.id}/history`); } catch (error) { notice(error.message, true); return; }
    let last = '';
    fill(list, [...this.kept(found.entries), ...found.entries.map((entry) => {
      const when = new Date(entry.when);
      const date = day.format(when);
      const head = date === last ? '' : html`<li class="day">${date}</li>`;
      last = date;
      return html`${head}${this.card(entry, when)}`;
    })]);
    if (!found.entries.length) fill(list, html`<li
      class="quiet">Nothing has been done to this shot yet. What is done stands here with its pictures, and can be gone back to.</li>`);
    $('history-more').textContent = found.more ? `and ${found.more} older` : '';
    for (const button of list.querySelectorAll('[data-back]')) button.addEventListener('click', () => this.back(Number(button.dataset.back)));
    for (const button of list.querySelectorAll('[data-some]')) {
      const { chosen, current } = this.app;
      button.addEventListener('click', () => this.back(Number(button.dataset.some), chosen.size ? [...chosen] : [current.id]));
    }
    for (const button of list.querySelectorAll('[data-forget]')) button.addEventListener('click', () => this.keep('', Number(button.dataset.forget)));
    for (const button of list.querySelectorAll('[data-one]')) {
      const { one, revision } = button.dataset;
      button.addEventListener('click', () => this.backOne(Number(one), Number(revision)));
    }
  }

  // Gives the present moment a name, or another one another, "" for none.
  async keep(name, action = null) {
    try {
      await post(`/api/shots/${this.app.data.shot.id}/keep`, { name, action });
      await this.load();
    } catch (error) { notice(error.message, true); }
  }

  // Moments with a name, before all others.
  kept(entries) {
    const named = entries.filter((e) => e.kept);
    const many = this.app.chosen.size;
    return named.length ? [html`<li class="day">kept by name</li>`,
      ...named.map((e) => html`<li class="deed"><div class="deed-head"><b>${e.kept}</b><span
        class="quiet">${day.format(new Date(e.when))}, ${clock.format(new Date(e.when))}</span></div>
      <button data-back="${e.id}">Fetch the whole shot back</button>${many
        ? html` <button data-some="${e.id}">Only the ${many} chosen drawing${many > 1 ? 's' : ''}</button>`
          : html` <button data-some="${e.id}">Only this drawing</button>`} <button data-forget="${e.id}"
            aria-label="Forget the name ${e.kept}">×</button></li>`)] : [];
  }

  card(entry, when) {
    const pairs = entry.drawings.slice(0, SEEN);
    const more = entry.drawings.length - pairs.length;
    return html`<li class="deed${entry.stands ? '' : ' undone'}"><div class="deed-head"><b>${entry.label}</b><span
      class="quiet">${clock.format(when)}, ${entry.who || 'somebody'}${entry.stands ? '' : ', undone'}</span></div>
      ${pairs.map((pair) => this.pair(pair))}${more > 0 ? html`<p class="quiet">and ${more} more drawing${more === 1 ? '' : 's'}</p>` : ''}
      ${entry.colours.slice(0, 6).map(([what, before, after]) => html`<p class="recoloured">${swatch(before)} → ${swatch(after)} ${what}</p>`)}
      ${entry.spans ? html`<div class="resheet">${strip(entry.spans[0], 'before')}${strip(entry.spans[1], 'after')}</div>` : ''}
      <button data-back="${entry.id}" title="The whole shot as it was when this had just been done; it can be undone">Step back to here</button></li>`;
  }

  pair({ id, number, before, after }) {
    const seen = (revision, words) => html`<img loading="lazy" alt="Drawing ${number} ${words}"
      src="/drawings/${id}/view.webp?w=240&revision=${revision ?? 0}&v=${revision ?? 0}">`;
    const act = (revision, words) => html`<button data-one="${id}" data-revision="${revision ?? 0}"
      aria-label="as ${words}: bring drawing ${number} back">as ${words}</button>`;
    const acts = this.app.byId.has(id) ? html`<span class="pair-acts">${act(before, 'before')}${act(after, 'after')}</span>` : '';
    return html`<div class="pair"><span class="number">${number}</span>${seen(before, 'before')}
      <span aria-hidden="true">→</span>${seen(after, 'after')}${acts}</div>`;
  }

  async back(action, drawings = null) {
    try {
      const found = await post(`/api/shots/${this.app.data.shot.id}/back`, { action, drawings });
      const stay = found.stay?.length ? `; locked and left as they are: ${found.stay.join(', ')}` : '';
      notice(`${drawings ? 'They stand' : 'The shot stands'} as ${drawings ? 'they were'
        : 'it was'} after: ${found.label}. ${found.drawings.length} drawing${found.drawings.length === 1 ? '' : 's'} went back${stay}`);
      if (found.kinds?.includes('stack') || found.pots?.length) setTimeout(() => window.location.reload(), 900);
      await this.after();
    } catch (error) { notice(error.message, true); }
  }

  async backOne(id, revision) {
    try {
      await post(`/api/drawings/${id}/back`, { revision });
      notice(`Drawing ${this.app.byId.get(id).number} stands as it was`);
      await this.after();
    } catch (error) { notice(error.message, true); }
  }

  async after() {
    await this.app.sync.refresh();
    await this.app.table.draw();
    await this.load();
  }
}

const swatch = (colour) => (colour ? html`<i class="swatch" style="background: ${colour}"></i>` : html`<i class="swatch none"></i>`);

// The sheet as a strip: a box a hold, as long as it is, with the number of its drawing.
function strip(spans, words) {
  const frames = spans.reduce((most, [first, count]) => Math.max(most, first + count - 1), 1);
  const box = ([first, count, number]) => html`<rect x="${(first - 1) * 10 + 0.5}" y="0.5" width="${count * 10 - 1}" height="21"
    class="${number ? '' : 'none'}">
    <title>${number ? `drawing ${number}` : 'nothing'}, frame ${first} to ${first + count - 1}</title></rect>`;
  return html`<svg class="sheet-strip" viewBox="0 0 ${frames * 10} 22" preserveAspectRatio="none" role="img"
    aria-label="The sheet ${words}">${spans.map(box)}</svg>`;
}
