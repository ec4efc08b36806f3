// Drawings as the server gives them, kept by revision so that stepping to one seen before is instant.

import { get } from '../api.js';

const lines = new Map();
const patches = new Map();

function keep(store, key, make) {
  if (!store.has(key)) {
    const promise = make().then((value) => { promise.value = value; return value; });
    promise.catch(() => store.delete(key));
    store.set(key, promise);
    if (store.size > 120) store.delete(store.keys().next().value);
  }
  return store.get(key);
}

const name = (entry) => `${entry.id}@${entry.revision}`;

export const line = (entry) => keep(lines, name(entry), () => get(`/api/drawings/${entry.id}`));
export const paint = (entry) => keep(patches, name(entry), () => get(`/api/drawings/${entry.id}/patches`));
export const lineNow = (entry) => lines.get(name(entry))?.value;
export const paintNow = (entry) => patches.get(name(entry))?.value;

// The newest shapes of a drawing that were read, of whichever revision: what is seen while it is read anew.
export const paintSeen = (entry) => paintNow(entry)
  ?? [...patches].reverse().find(([key, held]) => held.value && key.startsWith(`${entry.id}@`))?.[1].value;

// What can be undone and done again of a revision changes with where one came to it from: `more` says it of the drawing that was
// stepped. Returns whether that one is at hand as it is now.
export function stepped(ids, entry = null, more = null) {
  const known = entry && more && lineNow(entry);
  for (const key of [...lines.keys()]) if (ids.includes(Number(key.split('@')[0]))) lines.delete(key);
  if (known) keepValue(lines, entry, { ...known, ...more });
  return Boolean(known);
}

// After an edit the shapes at hand are those of the new revision: no need to ask for them again.
export function adopt(entry, before, change) {
  const old = lines.get(`${entry.id}@${before}`)?.value;
  if (old) { const value = change.line ? change.line(old) : old; keepValue(lines, entry, { ...value, undo: true, redo: false }); }
  const shapes = patches.get(`${entry.id}@${before}`)?.value;
  if (shapes && change.paint) keepValue(patches, entry, change.paint(shapes));
}

function keepValue(store, entry, value) {
  const promise = Promise.resolve(value);
  promise.value = value;
  store.set(name(entry), promise);
}
