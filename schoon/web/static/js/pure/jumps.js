// Where a row of shares leaves what lies before and after it.

// How far a share may lie off, of the whole.
const LEAST = 0.08;

// values: shares 0..1, null where there is nothing. Returns [index, how far it lies off the middle of its neighbours].
export function jumps(values, least = LEAST) {
  const found = [];
  for (let k = 1; k < values.length - 1; k += 1) {
    const [a, b, c] = [values[k - 1], values[k], values[k + 1]];
    if (a === null || b === null || c === null) continue;
    const off = Math.abs(b - (a + c) / 2);
    // A share that goes on rising or falling does not jump.
    if (off > least && (b - a) * (c - b) <= 0) found.push([k, off]);
  }
  return found;
}
