// The forms of a prop: what each is, which pot paints it, how deep it is.

import { fill, html } from '../dom.js';

export const KINDS = { turned: 'Turned profile', plate: 'Plate', box: 'Box', tube: 'Tube' };
const SIDES = { '': 'does not open', left: 'hinge left', right: 'hinge right', top: 'hinge above', bottom: 'hinge below' };

export class List {
  constructor(page) {
    this.page = page;
    this.node = document.querySelector('.prop-list');
    this.node.addEventListener('click', (event) => this.clicked(event));
    this.node.addEventListener('change', (event) => this.changed(event));
  }

  show() {
    const { page } = this;
    const { forms, chosen, made, pots } = page;
    const rows = forms.map((form, k) => html`<li aria-current="${String(k === chosen)}" data-k="${k}"><button type="button"
      class="prop-form-name">${form.name}</button> <small>${form.kind ? KINDS[form.kind] : ''}</small><span class="swatch"
        style="background:${pots.find((p) => p.id === form.pot)?.colour ?? 'transparent'}"></span></li>`);
    const details = (made.details ?? []).map((line, k) => html`<li data-detail="${k}"><span>${line.ring ? 'ring round' : 'line on'}
        ${forms[line.form]?.name ?? '?'}</span> <button type="button" class="prop-drop-detail" aria-label="Take this line away">×</button></li>`);
    const sharp = made.kind === 'file' ? html`<label>edges from <input type="number" name="sharp" min="5" max="90"
      value="${made.sharp}"> ° are lines</label>` : '';
    fill(this.node, html`<b>Forms</b>${forms.length ? ''
      : html`<p class="quiet">None yet: choose a kind above the sheet and draw its outline.</p>`}<ol>${rows}</ol>${details.length
        ? html`<ol class="prop-details">${details}</ol>` : ''}${sharp}${forms[chosen] ? this.fields(forms[chosen]) : ''}`);
  }

  fields(form) {
    const pots = this.page.pots.map(({ id, name }) => html`<option value="${id}" ${id === form.pot ? 'selected' : ''}>${name}</option>`);
    const sides = Object.entries(SIDES).map(([id, words]) => html`<option value="${id}" ${id === form.hinge ? 'selected' : ''}>${words}</option>`);
    const kinds = form.kind ? html`
      ${form.kind === 'turned' ? '' : html`<label>${form.kind === 'tube' ? 'across' : 'deep'} <input type="number" name="thick" min="0.5" step="0.5"
        value="${form.thick}"> px</label>`}
      <label title="How many px its middle lies nearer to the eye than the axis">nearer by <input type="number" name="near" step="1"
        value="${form.near}"> px</label>
      <label title="So often, evenly about the axis">about the axis <input type="number" name="around" min="1" max="24" value="${form.around}"> times</label>
      ${form.kind === 'box' ? '' : html`<label><input type="checkbox" name="rounded" ${form.rounded ? 'checked' : ''}> rounded</label>`}` : '';
    return html`<fieldset class="prop-fields"><label>name <input name="name" maxlength="60" value="${form.name}"></label>
      <label>pot <select name="pot"><option value="0">none</option>${pots}</select></label><label><input type="checkbox" name="glass"
        ${form.glass ? 'checked' : ''}> glass: seen through</label>${kinds}
      <label><select name="hinge" aria-label="How it opens">${sides}</select></label>${form.hinge
        ? html`<label>by <input type="number" name="swing" min="-270" max="270" value="${form.swing}"> °</label>` : ''}
      ${form.kind ? html`<button type="button" class="prop-drop">Take the form away</button>` : ''}</fieldset>`;
  }

  clicked({ target }) {
    const { page } = this;
    const row = target.closest('[data-k]');
    const line = target.closest('.prop-drop-detail')?.closest('[data-detail]');
    if (target.closest('.prop-drop')) page.sheetView.drop(page.chosen);
    else if (line) page.becomes({ ...page.made, details: page.made.details.filter((_, k) => k !== Number(line.dataset.detail)) });
    else if (row) page.choose(Number(row.dataset.k));
  }

  changed({ target }) {
    const { page } = this;
    const { name } = target;
    if (name === 'sharp') { page.becomes({ ...page.made, sharp: Number(target.value) }); return; }
    if (!page.forms[page.chosen]) return;
    const value = target.type === 'checkbox' ? target.checked : ['name', 'hinge'].includes(name) ? target.value.trim() : Number(target.value);
    const forms = page.forms.map((form, k) => (k === page.chosen ? { ...form, [name]: value } : form));
    page.becomes({ ...page.made, [page.made.kind === 'file' ? 'surfaces' : 'shapes']: forms });
  }
}
