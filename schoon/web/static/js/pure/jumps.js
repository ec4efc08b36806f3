// Where a row of shares leaves what lies before and after it.

// How far a share may lie off, of the whole.
const LEAST = 0.08;

// values: shares 0..1, null where there is nothing. Returns [index, how far it lies off the middle of its neighbours].
export function jumps(values, least = LEAST) {
  const off = values.map((b, k) => {
    const [a, c] = [values[k - 1] ?? null, values[k + 1] ?? null];
    // A share that goes on rising or falling does not jump.
    return a === null || b === null || c === null || (b - a) * (c - b) > 0 ? 0 : Math.abs(b - (a + c) / 2);
  });
  // Beside one that jumps its neighbours lie off as well, though less.
  return off.map((by, k) => [k, by]).filter(([k, by]) => by > least && by >= (off[k - 1] ?? 0) && by >= (off[k + 1] ?? 0));
}
