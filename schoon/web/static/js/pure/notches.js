// Numbers that change evenly from one notch to the next; before the first and after the last they stand.

export function valueAt(entry, name, frame) {
  const frames = Object.keys(entry.notches ?? {}).map(Number).filter((f) => name in entry.notches[f]).sort((a, b) => a - b);
  if (!frames.length) return entry[name];
  const after = frames.findIndex((f) => f > frame);
  if (after <= 0) return entry.notches[after === 0 ? frames[0] : frames[frames.length - 1]][name];
  const [a, b] = [frames[after - 1], frames[after]];
  const share = (frame - a) / (b - a);
  return entry.notches[a][name] + share * (entry.notches[b][name] - entry.notches[a][name]);
}
