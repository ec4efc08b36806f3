// The path of the pen with the hand's unsteadiness taken out, as the core does it (core.strokes.fit): what is seen
// while drawing is what stays. Points are [x, y] px.

const STEP = 1.5;
const CORNER = { reach: 6, turn: 50 * Math.PI / 180, concentrated: 0.66 };

function lengths(points) {
  const along = [0];
  for (let k = 1; k < points.length; k += 1) along.push(along[k - 1] + Math.hypot(points[k][0] - points[k - 1][0], points[k][1] - points[k - 1][1]));
  return along;
}

// Half to even, as the core rounds.
function rounded(v) {
  const low = Math.floor(v);
  if (v - low !== 0.5) return Math.round(v);
  return low % 2 ? low + 1 : low;
}

export function resample(points, step = STEP) {
  const along = lengths(points);
  const whole = along[along.length - 1];
  const count = Math.max(2, rounded(whole / step) + 1);
  let k = 0;
  return Array.from({ length: count }, (_, n) => {
    const at = (whole * n) / (count - 1);
    while (k < along.length - 2 && along[k + 1] < at) k += 1;
    const gap = along[k + 1] - along[k];
    const share = gap > 0 ? Math.min(1, (at - along[k]) / gap) : 0;
    return [0, 1].map((axis) => points[k][axis] + share * (points[k + 1][axis] - points[k][axis]));
  });
}

function turns(points, reach) {
  const found = [];
  for (let k = reach; k < points.length - reach; k += 1) {
    const a = [points[k][0] - points[k - reach][0], points[k][1] - points[k - reach][1]];
    const b = [points[k + reach][0] - points[k][0], points[k + reach][1] - points[k][1]];
    found.push(Math.abs(Math.atan2(a[0] * b[1] - a[1] * b[0], a[0] * b[0] + a[1] * b[1])));
  }
  return found;
}

export function corners(points) {
  const { reach, turn, concentrated } = CORNER;
  if (points.length < 2 * reach + 1) return [];
  const half = Math.max(1, rounded(0.5 * reach));
  const inner = turns(points, half).slice(reach - half, points.length - reach - half);
  const sharp = turns(points, reach).map((v, k) => (inner[k] > concentrated * v ? v : 0));
  const found = [];
  for (;;) {
    const most = Math.max(...sharp, 0);
    if (most <= turn) break;
    const at = sharp.indexOf(most);
    found.push(at + reach);
    for (let k = Math.max(0, at - reach); k <= Math.min(sharp.length - 1, at + reach); k += 1) sharp[k] = 0;
  }
  return found.sort((a, b) => a - b);
}

function smoothed(points, amount) {
  const even = resample(points);
  if (amount <= 0 || even.length < 5) return even;
  const sigma = amount / STEP;
  const reach = Math.min(Math.trunc(3 * sigma) + 1, even.length - 1);
  const last = even.length - 1;
  // Reflected through the end point, so that the end and its direction stay.
  const at = (k, axis) => {
    if (k < 0) return 2 * even[0][axis] - even[-k][axis];
    if (k > last) return 2 * even[last][axis] - even[2 * last - k][axis];
    return even[k][axis];
  };
  const kernel = Array.from({ length: 2 * reach + 1 }, (_, k) => Math.exp(-0.5 * ((k - reach) / sigma) ** 2));
  const total = kernel.reduce((a, b) => a + b);
  return even.map((_, n) => [0, 1].map((axis) => kernel.reduce((sum, w, k) => sum + w * at(n + k - reach, axis), 0) / total));
}

// Smoothed between corners only, so that a corner drawn stays one. amount: standard deviation in px.
export function steadied(points, amount) {
  if (points.length < 2 || lengths(points).at(-1) < 0.5) return points;
  const raw = resample(points);
  const cuts = [0, ...corners(raw), raw.length - 1];
  const whole = [];
  for (let k = 1; k < cuts.length; k += 1) {
    const run = smoothed(raw.slice(cuts[k - 1], cuts[k] + 1), amount);
    whole.push(...(k > 1 ? run.slice(1) : run));
  }
  return whole;
}
