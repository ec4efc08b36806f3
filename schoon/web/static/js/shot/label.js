// A label: a word of one's own and its tint, written in a small form in the place of what opened it.

import { fill, html } from '../dom.js';

const TINT = '#b8742a';

export const shown = (label) => html`<span class="own-label" style="background:${label.tint}" title="${label.word}">${label.word}</span>`;

// node: what the form stands in for. now: the label there is, or null. keep: gets the new one, null to take it off. after:
// puts the page right again.
export function writeLabel(node, { now, about, keep, after }) {
  const form = document.createElement('form');
  form.className = 'write-label';
  fill(form, html`<input name="word" maxlength="24" size="10" value="${now?.word ?? ''}" placeholder="a word" aria-label="Label of ${about}"
    autocomplete="off"><input name="tint" type="color" value="${now?.tint ?? TINT}" aria-label="Tint of the label of ${about}"
      autocomplete="off"><button>Write</button>${now ? html`<button type="button" name="off">take off</button>` : ''}`);
  node.replaceWith(form);
  const { word, tint, off } = form.elements;
  word.focus();
  word.select();
  const done = async (label) => { await keep(label); after(); };
  form.addEventListener('submit', (event) => {
    event.preventDefault();
    const written = word.value.trim();
    done(written ? { word: written, tint: tint.value } : null);
  });
  off?.addEventListener('click', () => done(null));
  form.addEventListener('keydown', (event) => { event.stopPropagation(); if (event.key === 'Escape') after(); });
}
