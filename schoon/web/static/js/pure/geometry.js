// Points, paths and maps of strokes. Nothing here touches the page.

export const round = (v, by = 100) => Math.round(v * by) / by;

// Path data with every point moved by `shift(x, y) -> [x, y]`.
export function warped(d, shift) {
  return d.replace(/(-?[\d.]+),(-?[\d.]+)/g, (_, x, y) => {
    const [u, v] = shift(Number(x), Number(y));
    return `${u.toFixed(1)},${v.toFixed(1)}`;
  });
}

export function centreLine(points) {
  let d = `M${points[0]} ${points[1]}`;
  for (let k = 2; k < points.length; k += 6) d += `C${points.slice(k, k + 6).join(' ')}`;
  return d;
}

// A flat list of co-ordinates as [x, y] pairs.
export const pairs = (flat) => Array.from({ length: flat.length / 2 }, (_, k) => [flat[2 * k], flat[2 * k + 1]]);

export function boundsOf(strokes) {
  const box = [Infinity, Infinity, -Infinity, -Infinity];
  for (const s of strokes) {
    for (let k = 0; k < s.points.length; k += 2) {
      box[0] = Math.min(box[0], s.points[k]); box[1] = Math.min(box[1], s.points[k + 1]);
      box[2] = Math.max(box[2], s.points[k]); box[3] = Math.max(box[3], s.points[k + 1]);
    }
  }
  return box;
}

// Affine maps as SVG writes them: [a, b, c, d, e, f].
export const multiply = (m, n) => [
  m[0] * n[0] + m[2] * n[1], m[1] * n[0] + m[3] * n[1],
  m[0] * n[2] + m[2] * n[3], m[1] * n[2] + m[3] * n[3],
  m[0] * n[4] + m[2] * n[5] + m[4], m[1] * n[4] + m[3] * n[5] + m[5],
];
export function inverse([a, b, c, d, e, f]) {
  const det = a * d - b * c;
  return [d / det, -b / det, -c / det, a / det, (c * f - d * e) / det, (b * e - a * f) / det];
}
export const applied = ([a, b, c, d, e, f], [x, y]) => [a * x + c * y + e, b * x + d * y + f];
export const shifted = (dx, dy) => [1, 0, 0, 1, dx, dy];
export const about = (x, y, m) => multiply(shifted(x, y), multiply(m, shifted(-x, -y)));
export const turnedBy = (angle) => [Math.cos(angle), Math.sin(angle), -Math.sin(angle), Math.cos(angle), 0, 0];
export const scaledBy = (sx, sy) => [sx, 0, 0, sy, 0, 0];
// The server takes the two rows of the matrix.
export const rows = (m) => [m[0], m[2], m[4], m[1], m[3], m[5]];
// Mirrors left and right within a box.
export const mirrored = ([x0, y0, x1, y1]) => about((x0 + x1) / 2, (y0 + y1) / 2, scaledBy(-1, 1));

// Where the point p comes to lie when `from` is dragged by `by`: all of the way there, none of it from 2 * reach on.
// A preview of what the server makes of a bend; a test holds the two together.
export function bent([x, y], from, by, reach) {
  const far = Math.hypot(x - from[0], y - from[1]) / (2 * reach);
  const weight = far < 1 ? Math.cos((far * Math.PI) / 2) ** 2 : 0;
  return [x + weight * by[0], y + weight * by[1]];
}

// Px within which an end of a line meets another.
const MEETS = 6;

// Whether the line a ends at a point of the line b; both flat lists of control points.
export function touches(a, b) {
  const ends = [[a[0], a[1]], [a.at(-2), a.at(-1)]];
  const knots = pairs(b).filter((_, k) => k % 3 === 0);
  return ends.some((p) => knots.some((q) => Math.hypot(p[0] - q[0], p[1] - q[1]) < MEETS));
}

// Sine of the angle between two handles from which on their point is a corner.
const STRAIGHT = 0.12;

// The control points of a stroke, flat, with the one at `index` moved to `to`: a point takes its handles along; a handle
// of a smooth point turns the opposite one, unless `broken`.
export function handleMoved({ points, closed }, index, to, broken) {
  const p = [...points];
  const n = p.length / 2;
  const at = (k) => [p[2 * k], p[2 * k + 1]];
  const put = (k, [x, y]) => { p[2 * k] = round(x); p[2 * k + 1] = round(y); };
  if (index % 3 === 0) {
    const [dx, dy] = [to[0] - p[2 * index], to[1] - p[2 * index + 1]];
    const knots = closed && (index === 0 || index === n - 1) ? [0, n - 1] : [index];
    for (const k of knots) for (const m of [k - 1, k, k + 1]) if (m >= 0 && m < n) put(m, [at(m)[0] + dx, at(m)[1] + dy]);
    return p;
  }
  const knot = index % 3 === 1 ? index - 1 : index + 1;
  let other = index % 3 === 1 ? knot - 1 : knot + 1;
  if (closed && knot === 0) other = n - 2;
  if (closed && knot === n - 1) other = 1;
  const there = other >= 0 && other < n;
  const c = at(knot);
  const before = there ? Math.atan2(c[1] - at(other)[1], c[0] - at(other)[0]) : 0;
  const mine = Math.atan2(at(index)[1] - c[1], at(index)[0] - c[0]);
  const smooth = there && Math.abs(Math.sin(before - mine)) < STRAIGHT && Math.cos(before - mine) > 0;
  put(index, to);
  if (smooth && !broken) {
    const length = Math.hypot(at(other)[0] - c[0], at(other)[1] - c[1]);
    const angle = Math.atan2(to[1] - c[1], to[0] - c[0]);
    put(other, [c[0] - length * Math.cos(angle), c[1] - length * Math.sin(angle)]);
  }
  return p;
}

// At most 60 points of a path, its last one among them; a single one twice.
export function thinned(path) {
  const step = Math.max(1, Math.floor(path.length / 60));
  const kept = path.filter((_, k) => k % step === 0 || k === path.length - 1);
  return kept.length > 1 ? kept : [...kept, ...kept];
}
