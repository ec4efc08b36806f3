// True forms of what was drawn or placed: curves through points, straights, circles and ovals. Points are [x, y] px.

const STEP = 4;
// How far off, as a share of its length or size, a stroke may be to become a true one.
const STRAIGHT = 0.05;
const ROUND = 0.2;
// From this share of the way round on, ends that lie apart are no ring.
const OPEN = 0.22;
// Axes as alike as this are a circle.
const CIRCLE = 0.14;

const far = (a, b) => Math.hypot(b[0] - a[0], b[1] - a[1]);
const length = (points) => points.slice(1).reduce((sum, p, k) => sum + far(points[k], p), 0);

// A smooth curve through points, { x, y, corner }; at corners it has two directions.
export function through(points, closed = false) {
  if (points.length < 2) return points.map(({ x, y }) => [x, y]);
  const count = points.length;
  const at = (k) => points[closed ? ((k % count) + count) % count : Math.min(count - 1, Math.max(0, k))];
  const found = [[points[0].x, points[0].y]];
  for (let k = 0; k < (closed ? count : count - 1); k += 1) {
    const [a, b] = [at(k), at(k + 1)];
    // At a corner, and at an end, the neighbour is mirrored away.
    const before = a.corner || (!closed && k === 0) ? { x: 2 * a.x - b.x, y: 2 * a.y - b.y } : at(k - 1);
    const after = b.corner || (!closed && k === count - 2) ? { x: 2 * b.x - a.x, y: 2 * b.y - a.y } : at(k + 2);
    const steps = Math.max(2, Math.ceil(far([a.x, a.y], [b.x, b.y]) / STEP));
    for (let n = 1; n <= steps; n += 1) {
      const t = n / steps;
      found.push(['x', 'y'].map((axis) => 0.5 * (2 * a[axis] + (b[axis] - before[axis]) * t
        + (2 * before[axis] - 5 * a[axis] + 4 * b[axis] - after[axis]) * t * t
        + (3 * a[axis] - before[axis] - 3 * b[axis] + after[axis]) * t * t * t)));
    }
  }
  return found;
}

// The true form that a stroke is nearly: { kind: 'straight', 'circle' or 'oval', points }; null for none.
export function trueForm(points) {
  const whole = length(points);
  if (whole < 12) return null;
  const [first, last] = [points[0], points[points.length - 1]];
  if (far(first, last) > (1 - STRAIGHT) * whole && offLine(points, first, last) < STRAIGHT * whole) return { kind: 'straight', points: [first, last] };
  if (far(first, last) > OPEN * whole) return null;
  return oval(points);
}

function offLine(points, [ax, ay], [bx, by]) {
  const long = Math.hypot(bx - ax, by - ay) || 1;
  return Math.max(...points.map(([x, y]) => Math.abs((bx - ax) * (y - ay) - (by - ay) * (x - ax)) / long));
}

// By the middle and spread of the area inside: of a true oval they are a quarter of the squares of its half axes.
function oval(points) {
  let [area, mx, my, xx, xy, yy] = [0, 0, 0, 0, 0, 0];
  points.forEach(([x0, y0], k) => {
    const [x1, y1] = points[(k + 1) % points.length];
    const cross = x0 * y1 - x1 * y0;
    area += cross / 2;
    mx += (cross * (x0 + x1)) / 6;
    my += (cross * (y0 + y1)) / 6;
    xx += (cross * (x0 * x0 + x0 * x1 + x1 * x1)) / 12;
    xy += (cross * (x0 * y1 + 2 * x0 * y0 + 2 * x1 * y1 + x1 * y0)) / 24;
    yy += (cross * (y0 * y0 + y0 * y1 + y1 * y1)) / 12;
  });
  if (Math.abs(area) < 20) return null;
  [mx, my] = [mx / area, my / area];
  [xx, xy, yy] = [xx / area - mx * mx, xy / area - mx * my, yy / area - my * my];
  const turn = 0.5 * Math.atan2(2 * xy, xx - yy);
  const [c, s] = [Math.cos(turn), Math.sin(turn)];
  let [a, b] = [2 * Math.sqrt(Math.max(0, xx * c * c + 2 * xy * c * s + yy * s * s)), 2 * Math.sqrt(Math.max(0, xx * s * s - 2 * xy * c * s + yy * c * c))];
  if (Math.min(a, b) < 3) return null;
  const circle = Math.abs(a - b) < CIRCLE * Math.max(a, b);
  if (circle) { a = (a + b) / 2; b = a; }
  const off = points.map(([x, y]) => Math.abs(Math.hypot(((x - mx) * c + (y - my) * s) / a, ((y - my) * c - (x - mx) * s) / b) - 1));
  if (Math.max(...off) > ROUND) return null;
  const count = Math.max(24, Math.ceil((Math.PI * (a + b)) / STEP));
  const ring = Array.from({ length: count + 1 }, (_, k) => {
    const angle = (2 * Math.PI * k) / count;
    const [u, v] = [a * Math.cos(angle), b * Math.sin(angle)];
    return [mx + u * c - v * s, my + u * s + v * c];
  });
  return { kind: circle ? 'circle' : 'oval', points: ring };
}
