// A drawing bent by a few points, as the core bends it; a test holds the two together.

// Flat points [x, y, …] where they go when handles have gone a share of their way. handles: [{ at, by }]; a pin goes nowhere.
export function swayed(points, handles, share) {
  const p = handles.map(({ at }) => at);
  const q = handles.map(({ at, by }) => [at[0] + share * by[0], at[1] + share * by[1]]);
  const found = [];
  for (let k = 0; k < points.length; k += 2) {
    const [x, y] = [points[k], points[k + 1]];
    const weights = p.map(([px, py]) => 1 / Math.max((px - x) ** 2 + (py - y) ** 2, 1e-9));
    const total = weights.reduce((a, b) => a + b, 0);
    const mean = (list, axis) => list.reduce((sum, point, i) => sum + weights[i] * point[axis], 0) / total;
    const [a, b] = [[mean(p, 0), mean(p, 1)], [mean(q, 0), mean(q, 1)]];
    let [re, im] = [0, 0];
    weights.forEach((w, i) => {
      const [ux, uy] = [p[i][0] - a[0], p[i][1] - a[1]];
      const [vx, vy] = [q[i][0] - b[0], q[i][1] - b[1]];
      re += (w / total) * (ux * vx + uy * vy);
      im += (w / total) * (ux * vy - uy * vx);
    });
    const size = Math.hypot(re, im);
    [re, im] = size > 1e-9 ? [re / size, im / size] : [1, 0];
    found.push(b[0] + re * (x - a[0]) - im * (y - a[1]), b[1] + im * (x - a[0]) + re * (y - a[1]));
  }
  return found;
}
