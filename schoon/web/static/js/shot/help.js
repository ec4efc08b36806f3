// The guide beside the table: the page of the stop that is lit, and its keys.

import { notice } from '../api.js';
import { fill, html } from '../dom.js';

const $ = (id) => document.getElementById(id);

export class Help {
  constructor(app, keysOf) {
    Object.assign(this, { app, keysOf, shown: '' });
    this.box = $('help');
    $('see-help').addEventListener('click', () => this.open());
    $('help-close').addEventListener('click', () => this.open(false));
    this.box.addEventListener('keydown', (event) => { if (event.key === 'Escape') { event.stopPropagation(); this.open(false); } });
    // What the guide leads to, and what explains a refusal, is read here as well.
    for (const place of [$('help-page'), $('notice')]) place.addEventListener('click', (event) => this.follow(event));
    app.on('stop', () => { if (!this.box.hidden) this.open(true); });
  }

  follow(event) {
    const link = event.target.closest('a[href^="/guide"]');
    if (!link || event.ctrlKey || event.metaKey) return;
    event.preventDefault();
    event.stopPropagation();
    const { pathname, hash } = new URL(link.href);
    this.open(true, pathname.split('/')[2] ?? 'index', hash.slice(1));
  }

  open(on = this.box.hidden, name = this.app.stage.name, anchor = '') {
    const before = this.box.hidden;
    this.box.hidden = !on;
    if (!on) { $('paper').focus(); return; }
    fill($('help-keys'), this.keysOf(this.app.stage).map(([key, said]) => html`<dt>${key}</dt><dd>${said}</dd>`));
    this.read(name, anchor);
    if (before) $('help-close').focus();
  }

  // Reads a page of the guide, made by the server from its own files.
  async read(name, anchor = '') {
    if (this.shown !== name) {
      try {
        const response = await fetch(`/guide/${name}?bare=true`);
        if (!response.ok) throw new Error();
        const read = new DOMParser().parseFromString(await response.text(), 'text/html');
        $('help-page').replaceChildren(...read.body.children);
        this.shown = name;
      } catch { notice('The guide could not be read; try again', true); return; }
    }
    const at = anchor && $('help-page').querySelector(`#${CSS.escape(anchor)}`);
    if (at) at.scrollIntoView(); else $('help-page').scrollTop = 0;
  }
}
