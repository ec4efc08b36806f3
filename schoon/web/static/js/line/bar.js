// What can be done to the chosen lines: a bar under the paper while something is chosen.

import { fill, html } from '../dom.js';
import { notice } from '../api.js';
import { boundsOf, mirrored, rows, shifted } from '../pure/geometry.js';
import { CHOSEN, shown } from '../keys.js';
import { change } from './change.js';

export class ChosenBar {
  constructor(app, chosen, hand) {
    this.app = app; this.chosen = chosen; this.hand = hand;
    this.box = document.getElementById('chosen-bar');
    this.acts = [
      ['join', 'Join', CHOSEN.join, () => this.run({ do: 'join', ids: chosen.list() }, 1)],
      ['mirror', 'Mirror', CHOSEN.mirror, () => chosen.size && chosen.place(mirrored(boundsOf(chosen.strokes())), 'mirror')],
      ['smooth', 'Smooth', CHOSEN.smooth, () => this.run({ do: 'smooth', ids: chosen.list(), amount: 5 })],
      ['lighter', 'Lighter', CHOSEN.lighter, () => this.run({ do: 'weigh', ids: chosen.list(), factor: 0.87 })],
      ['heavier', 'Heavier', CHOSEN.heavier, () => this.run({ do: 'weigh', ids: chosen.list(), factor: 1.15 })],
      ['taper', 'Taper', CHOSEN.taper, () => this.run({ do: 'taper', ids: chosen.list(),
        reach: this.tapered() ? 0 : Math.max(12, 6 * app.data.rule.outline) })],
      ['fill', 'Black', null, () => this.run({ do: 'fill', ids: chosen.list(), filled: !this.black() })],
      ['copy', 'Copy', CHOSEN.copy, () => this.copy()],
      ['accept', 'Accept', CHOSEN.accept, () => this.run({ do: 'vouch', ids: chosen.list() })],
      ['unlink', 'Unlink', null, () => this.run({ do: 'unlink', ids: chosen.list() })],
      ['delete', 'Delete', CHOSEN.delete, () => this.remove()],
    ];
    this.build();
  }

  build() {
    fill(this.box, html`<b id="chosen-count"></b><datalist id="part-names"></datalist>
      <label>part <input id="chosen-part" list="part-names" size="10" maxlength="60" autocomplete="off"></label>`);
    for (const [id, label, key, act] of this.acts) {
      const button = document.createElement('button');
      button.dataset.act = id;
      fill(button, html`${label}${key ? html` <kbd>${shown(key)}</kbd>` : ''}`);
      button.addEventListener('click', act);
      this.box.append(button);
    }
    const part = this.box.querySelector('#chosen-part');
    part.addEventListener('change', async () => {
      const name = part.value.trim();
      await this.run({ do: 'part', ids: this.chosen.list(), part: name });
      this.hand.part = name;
      this.app.parts.show();
    });
    part.addEventListener('keydown', (event) => { if (event.key === 'Enter') { part.blur(); document.getElementById('paper').focus(); } });
  }

  tapered() { return this.chosen.strokes().some((s) => Math.min(s.widths[0], s.widths.at(-1)) < 0.6 * Math.max(...s.widths)); }

  black() { return this.chosen.strokes().every((s) => s.filled); }

  show() {
    const strokes = this.chosen.strokes();
    this.box.hidden = !strokes.length;
    if (!strokes.length) return;
    const doubtful = strokes.filter((s) => s.doubtful).length;
    const linked = strokes.some((s) => s.linked);
    const says = [`${strokes.length} line${strokes.length > 1 ? 's' : ''}`, doubtful && `${doubtful} in doubt`, linked && 'linked'];
    this.box.querySelector('#chosen-count').textContent = says.filter(Boolean).join(', ');
    this.box.querySelector('[data-act="unlink"]').hidden = !linked;
    this.box.querySelector('[data-act="accept"]').hidden = !doubtful;
    this.box.querySelector('[data-act="taper"]').firstChild.textContent = this.tapered() ? 'Blunt ' : 'Taper ';
    const fillable = this.box.querySelector('[data-act="fill"]');
    fillable.hidden = !strokes.every((s) => s.closed);
    fillable.textContent = this.black() ? 'Not black' : 'Black';
    const parts = new Set(strokes.map((s) => s.part));
    const input = this.box.querySelector('#chosen-part');
    if (document.activeElement !== input) input.value = parts.size === 1 ? [...parts][0] : '';
    input.placeholder = parts.size > 1 ? 'several' : 'none';
    fill(this.box.querySelector('datalist'), this.app.parts.names().map((name) => html`<option value="${name}"></option>`));
  }

  async run(op, least = 1) {
    if (this.chosen.size < least) { notice('Choose lines first: C, then click or drag across them'); return; }
    const answer = await change(this.app, op);
    if (!answer) return;
    const fresh = answer.strokes.map((s) => s.id);
    this.chosen.ids = new Set(fresh.length ? fresh : []);
    await this.app.table.draw();
  }

  async copy() {
    if (!this.chosen.size) { notice('Choose lines first'); return; }
    const by = 14 / this.app.table.view.zoom + 8;
    await this.run({ do: 'copy', ids: this.chosen.list(), matrix: rows(shifted(by, by)) });
  }

  async remove() {
    if (!this.chosen.size) { notice('Choose the lines to delete first: C, then click or drag across them'); return; }
    const ids = this.chosen.list();
    this.chosen.clear();
    await change(this.app, { do: 'delete', ids });
    this.app.table.draw();
  }

  key(key) {
    const found = this.acts.find((a) => a[2] === key);
    if (!found || (!this.chosen.size && key !== CHOSEN.delete)) return false;
    found[3]();
    return true;
  }
}
