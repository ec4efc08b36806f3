// Signs: our own of the craft, and general ones from Bootstrap Icons.

import { html } from '../dom.js';

const OWN = new URL('../../signs.svg', import.meta.url).pathname;
const GENERAL = new URL('../../vendor/bootstrap-icons.svg', import.meta.url).pathname;

export const sign = (name) => html`<svg class="sign" aria-hidden="true"><use href="${OWN}#${name}"></use></svg>`;

export const general = (name) => html`<svg class="sign general" aria-hidden="true"><use href="${GENERAL}#${name}"></use></svg>`;
