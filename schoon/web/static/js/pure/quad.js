// A picture laid on four corners: the plane map of a box onto any quadrilateral (Heckbert 1989).

// box: [left, top, right, bottom]; quad: where its corners go, from the top left one round clockwise. Flat points in, flat points out.
export function laidOn(points, [left, top, right, bottom], [[x0, y0], [x1, y1], [x2, y2], [x3, y3]]) {
  const [sx, sy] = [x0 - x1 + x2 - x3, y0 - y1 + y2 - y3];
  const [dx1, dx2, dy1, dy2] = [x1 - x2, x3 - x2, y1 - y2, y3 - y2];
  const det = dx1 * dy2 - dx2 * dy1 || 1e-9;
  const [g, h] = [(sx * dy2 - dx2 * sy) / det, (dx1 * sy - sx * dy1) / det];
  const [a, b, d, e] = [x1 - x0 + g * x1, x3 - x0 + h * x3, y1 - y0 + g * y1, y3 - y0 + h * y3];
  const found = [];
  for (let k = 0; k < points.length; k += 2) {
    const u = (points[k] - left) / (right - left);
    const v = (points[k + 1] - top) / (bottom - top);
    const w = g * u + h * v + 1;
    found.push((a * u + b * v + x0) / w, (d * u + e * v + y0) / w);
  }
  return found;
}

// Whether four corners are those of a shape that is not folded over itself.
export function convex(quad) {
  const turns = quad.map(([x, y], k) => {
    const [[p, q], [r, s]] = [quad[(k + 1) % 4], quad[(k + 2) % 4]];
    return (p - x) * (s - q) - (q - y) * (r - p);
  });
  return turns.every((t) => t > 0) || turns.every((t) => t < 0);
}
