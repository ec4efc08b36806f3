// Strokes on the page: what lies under the pen, and previews of what the server will make of them.

const SPOTS = [[0, 0], [3, 0], [-3, 0], [0, 3], [0, -3], [5, 5], [-5, -5], [5, -5], [-5, 5]];

// The path of the stroke within a few screen pixels of a client point, or null.
export function strokeAt(clientX, clientY) {
  for (const [dx, dy] of SPOTS) {
    const node = document.elementFromPoint(clientX + dx, clientY + dy);
    if (node?.closest?.('.ink') && node.dataset.id) return node;
  }
  return null;
}

export function pressure(event) {
  // A mouse has no pressure: it draws at the middle of the range. A pen laid flat draws with its side, broader.
  if (event.pointerType === 'mouse' || !event.pressure) return 0.5;
  const lean = Math.hypot(event.tiltX || 0, event.tiltY || 0);
  return Math.min(1, event.pressure * (1 + 0.6 * Math.max(0, (lean - 35) / 50)));
}

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
export const shifted = (dx, dy) => [1, 0, 0, 1, dx, dy];
export const about = (x, y, m) => multiply(shifted(x, y), multiply(m, shifted(-x, -y)));
export const turnedBy = (angle) => [Math.cos(angle), Math.sin(angle), -Math.sin(angle), Math.cos(angle), 0, 0];
export const scaledBy = (sx, sy) => [sx, 0, 0, sy, 0, 0];
// The server takes the two rows of the matrix.
export const rows = (m) => [m[0], m[2], m[4], m[1], m[3], m[5]];
