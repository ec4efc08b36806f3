// Orders of the run: who comes next, and in which order work is done. Nothing here touches the page.

// The entry `by` steps from `here` in `list` for which `wanted` holds, or null.
export function step(list, here, by, wanted = () => true) {
  let k = list.indexOf(here);
  do { k += by; } while (list[k] && !wanted(list[k]));
  return list[k] ?? null;
}

// Drawings of the cycle that a repeat runs through, in the order in which they are first seen; the one that `id` is in, or null.
// sheet: [first frame, frames, drawing or { again }]; spans: [first frame, frames, drawing].
export function cycleOf(sheet, spans, id) {
  for (const [at, , what] of sheet) {
    if (!what?.again) continue;
    const ids = [...new Set(spans.filter(([first, count]) => first < at && first + count > what.again).map((s) => s[2]))];
    if (ids.length > 1 && ids.includes(id)) return ids;
  }
  return null;
}

// All entries, beginning after `here` and ending with it.
export function around(list, here) {
  const from = list.indexOf(here);
  return [...list.slice(from + 1), ...list.slice(0, from + 1)];
}

// In the order of the trade: keys first, then extremes and breakdowns, then in-betweens; what is still to do before what is done.
const TRADE = { key: 0, extreme: 1, breakdown: 2, inbetween: 3 };

// rows: [first frame, frames, drawing id or what else stands there]; only drawings are work.
export function byWork(rows, byId, stage) {
  const open = (entry) => (left(entry, stage)[0] === DONE ? 1 : 0);
  const rank = ([, , id]) => TRADE[byId.get(id).kind] * 2 + open(byId.get(id));
  return rows.filter(([, , what]) => byId.has(what)).sort((a, b) => rank(a) - rank(b) || a[0] - b[0]);
}

const DONE = '✓';

const bare = (entry) => (entry.sheet ? 'empty' : 'rough');

// What is left on a drawing in a stage, in a word, and whether it asks for a decision.
export function left(entry, stage) {
  if (entry.retaken && (stage === 'rough' || stage === 'line')) return ['new rough', true];
  if (stage === 'line') return !entry.strokes ? [bare(entry), false] : entry.doubtful ? [`${entry.doubtful} ?`, true] : [DONE, false];
  if (stage === 'seal') {
    if (!entry.strokes) return [bare(entry), false];
    return entry.open_gaps ? [`${entry.open_gaps} gap${entry.open_gaps > 1 ? 's' : ''}`, true] : [DONE, false];
  }
  if (stage === 'paint' || stage === 'hand-off') {
    if (entry.open_forms) return [`${entry.open_forms} open`, true];
    if (entry.unsure) return [`${entry.unsure} ?`, true];
    return [entry.painted ? DONE : entry.strokes ? 'bare' : bare(entry), false];
  }
  if (stage === 'tone') return entry.toned_unsure ? [`${entry.toned_unsure} ?`, true] : [entry.toned ? DONE : entry.strokes ? 'no tone' : bare(entry), false];
  return ['', false];
}

// The same in a sign for the narrow sheet: how many ask, a tick, nothing.
export function leftInShort(entry, stage) {
  const [words, ask] = left(entry, stage);
  const count = words.match(/^\d+/)?.[0];
  return [ask ? count ?? '!' : words === DONE ? DONE : '', ask];
}
