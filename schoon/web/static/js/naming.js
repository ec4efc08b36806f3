// A name is written in its own place: Enter or leaving the field keeps it, Escape does not.

import { notice } from './api.js';

// save: sends the new name. after: puts the page right again, given the field.
export function writeName(node, { now, label, save, after }) {
  const input = Object.assign(document.createElement('input'), { value: now, maxLength: 60, size: 12, ariaLabel: label });
  node.replaceWith(input);
  input.focus();
  input.select();
  let over = false;
  const done = async (keep) => {
    if (over) return;
    over = true;
    if (keep && input.value.trim() && input.value !== now) {
      try { await save(input.value); } catch (error) { notice(error.message, true); }
    }
    after(input);
  };
  input.addEventListener('keydown', (event) => { event.stopPropagation(); if (event.key === 'Enter') done(true); if (event.key === 'Escape') done(false); });
  input.addEventListener('blur', () => done(true));
}
