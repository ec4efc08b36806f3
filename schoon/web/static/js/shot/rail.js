// The rail: the tools of the stop that is lit as signs, in groups that say what they are for; rarer ones in a fold of their
// group; at its foot those of other stops that mend what is seen here. Name, key and what a tool does stand beside the pointer.

import { fill, html } from '../dom.js';
import { LENT, shown } from '../keys.js';
import { GROUPS, lentTo } from './controls.js';
import { general, sign } from './signs.js';

const $ = (id) => document.getElementById(id);
const NAMES = 'names';
const FILMS = new URL('../../moving/', import.meta.url).pathname;
// Ms of rest on a tool until it is shown at work.
const REST = 1000;

export class Rail {
  constructor(app, tools) {
    Object.assign(this, { app, tools });
    this.tip = $('tip');
    const rail = $('tray');
    // At once, without the wait that a browser has.
    for (const what of ['pointerover', 'focusin']) rail.addEventListener(what, (event) => this.say(event.target.closest('button')));
    for (const what of ['pointerleave', 'focusout', 'pointerdown']) rail.addEventListener(what, () => this.say(null));
    document.addEventListener('pointerdown', (event) => { if (!event.target.closest('#tray')) this.fold(); });
    rail.addEventListener('keydown', (event) => this.step(event));
    // In sight until somebody knows them.
    this.names(localStorage[NAMES] !== 'off');
    $('see-names').addEventListener('click', () => this.names($('see-names').getAttribute('aria-pressed') !== 'true'));
  }

  names(on) {
    localStorage[NAMES] = on ? 'on' : 'off';
    $('see-names').setAttribute('aria-pressed', String(on));
    document.body.classList.toggle('named', on);
  }

  build(stage) {
    const groups = Object.keys(GROUPS).filter((group) => stage.tools.some((tool) => tool.group === group));
    const of = (group) => stage.tools.filter((tool) => tool.group === group).map((tool) => this.button(tool));
    stage.tray.replaceChildren(...groups.map((group) => this.group(GROUPS[group], group, of(group))));
    this.lent(stage);
    stage.tray.hidden = stage !== this.app.stage;
  }

  button(tool) {
    const node = document.createElement('button');
    node.dataset.tool = tool.id;
    node.dataset.does = tool.does;
    if (tool.film) node.dataset.film = tool.film;
    if (tool.fold) node.classList.add('folded');
    if (tool.view) node.dataset.of = tool.view;
    fill(node, html`${sign(tool.sign)}<span class="name">${tool.label}</span>${tool.key ? html`<kbd>${shown(tool.key)}</kbd>` : ''}`);
    node.setAttribute('aria-pressed', 'false');
    node.setAttribute('aria-label', tool.label);
    node.addEventListener('click', () => { this.fold(); this.tools.use(tool.id); });
    return node;
  }

  group(words, name, buttons) {
    const box = document.createElement('div');
    box.className = `rail-group rail-${name}`;
    box.setAttribute('role', 'group');
    box.setAttribute('aria-label', words);
    box.append(...buttons);
    if (buttons.some((button) => button.classList.contains('folded'))) {
      const more = document.createElement('button');
      more.className = 'rail-more';
      more.setAttribute('aria-expanded', 'false');
      more.setAttribute('aria-label', `More: ${words.toLowerCase()}`);
      more.dataset.does = 'what is rarer';
      fill(more, general('three-dots'));
      more.addEventListener('click', () => this.unfold(box, more));
      box.append(more);
    }
    return box;
  }

  lent(stage) {
    const here = (key) => LENT[key][2].includes(stage.name) && !stage.tools.some((tool) => tool.key === key);
    const keys = Object.keys(LENT).filter(here);
    if (!keys.length) return;
    const buttons = lentTo(stage.name, keys).map(([key, words, which, atHand]) => {
      const node = document.createElement('button');
      node.dataset.lent = key;
      node.dataset.does = 'lent while its key is held';
      if (!atHand) node.classList.add('folded');
      fill(node, html`${sign(which)}<span class="name">${words}</span><kbd>${shown(key)}</kbd>`);
      node.setAttribute('aria-pressed', 'false');
      node.setAttribute('aria-label', words);
      node.addEventListener('click', () => { this.fold(); this.tools.borrow(key, true); });
      return node;
    });
    stage.tray.append(this.group('Lent while their key is held', 'lent', buttons));
  }

  // What is in the hand, and what the open view of the ledge brings.
  show() {
    const { tools, app: { stage } } = this;
    for (const node of stage.tray.querySelectorAll('[data-tool]')) node.setAttribute('aria-pressed', String(node.dataset.tool === tools.now?.id));
    for (const node of stage.tray.querySelectorAll('[data-lent]')) node.setAttribute('aria-pressed', String(node.dataset.lent === tools.lent?.key));
    for (const node of stage.tray.querySelectorAll('[data-of]')) {
      node.classList.toggle('away', node.dataset.of !== stage.inView && node.getAttribute('aria-pressed') !== 'true');
    }
    for (const group of stage.tray.querySelectorAll('.rail-group')) group.classList.toggle('bare', !group.querySelector('button:not(.away, .folded)'));
    document.body.classList.toggle('no-rail', !stage.tray.querySelector('button'));
  }

  unfold(box, more) {
    const open = more.getAttribute('aria-expanded') !== 'true';
    this.fold();
    if (!open) return;
    more.setAttribute('aria-expanded', 'true');
    const list = document.createElement('div');
    list.className = 'rail-fold';
    for (const button of box.querySelectorAll('.folded')) {
      const copy = button.cloneNode(true);
      copy.classList.remove('folded');
      copy.addEventListener('click', () => button.click());
      list.append(copy);
    }
    const at = more.getBoundingClientRect();
    $('tray').append(list);
    list.style.left = `${at.right + 6}px`;
    list.style.top = `${Math.max(44, Math.min(at.top, window.innerHeight - list.offsetHeight - 44))}px`;
    list.firstChild.focus();
    this.say(null);
  }

  fold() {
    $('tray').querySelector('.rail-fold')?.remove();
    for (const more of $('tray').querySelectorAll('.rail-more')) more.setAttribute('aria-expanded', 'false');
  }

  say(button) {
    const { tip } = this;
    clearTimeout(this.resting);
    tip.hidden = !button || button.closest('.rail-fold') !== null;
    if (tip.hidden) return;
    const key = button.querySelector('kbd')?.textContent;
    fill(tip, html`<b>${button.getAttribute('aria-label')}</b>${key ? html` <kbd>${key}</kbd>` : ''}<span>${button.dataset.does ?? ''}</span>`);
    const at = button.getBoundingClientRect();
    tip.style.left = `${at.right + 8}px`;
    tip.style.top = `${at.top + at.height / 2 - tip.offsetHeight / 2}px`;
    if (button.dataset.film) this.resting = setTimeout(() => this.film(button.dataset.film, at), REST);
  }

  // The tool at work on the demo, beside its name.
  film(name, at) {
    const { tip } = this;
    const picture = new Image(240, 150);
    picture.alt = '';
    picture.src = `${FILMS}${name}.webp`;
    tip.append(picture);
    tip.style.top = `${Math.max(44, Math.min(at.top, window.innerHeight - tip.offsetHeight - 44))}px`;
  }

  // Up and down go through it, as in every upright row of tools.
  step(event) {
    const by = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    if (event.key === 'Escape') { this.fold(); return; }
    if (!by) return;
    const all = [...$('tray').querySelectorAll('button')].filter((node) => node.offsetParent);
    const next = all[(all.indexOf(document.activeElement) + by + all.length) % all.length];
    event.preventDefault();
    event.stopPropagation();
    next?.focus();
  }
}
