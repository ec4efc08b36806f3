// A rigid prop while it is moved: turns in space, and its lines on the paper; what the server makes of it is finer.

// Quaternions are [x, y, z, w], in the axes of core/prop: x right, y down, z away.
export function turnedBy([ax, ay, az, aw], [bx, by, bz, bw]) {
  return [
    aw * bx + ax * bw + ay * bz - az * by, aw * by - ax * bz + ay * bw + az * bx,
    aw * bz + ax * by - ay * bx + az * bw, aw * bw - ax * bx - ay * by - az * bz,
  ];
}

export function about([x, y, z], radians) {
  const s = Math.sin(radians / 2);
  return [x * s, y * s, z * s, Math.cos(radians / 2)];
}

// A placement rolled by hand to the right and down, in degrees, and turned round in the picture.
export function rolled(placed, right, down, round = 0) {
  const [r, d] = [(right * Math.PI) / 180, (down * Math.PI) / 180];
  const angle = Math.hypot(r, d);
  const roll = angle ? about([d / angle, -r / angle, 0], angle) : [0, 0, 0, 1];
  const spin = about([0, 0, 1], (round * Math.PI) / 180);
  return { ...placed, turn: turnedBy(spin, turnedBy(roll, placed.turn)) };
}

function matrix([x, y, z, w]) {
  return [
    1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w),
    2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w),
    2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y),
  ];
}

function moved(flat, { turn }) {
  const m = matrix(turn);
  const found = new Float64Array(flat.length);
  for (let k = 0; k < flat.length; k += 3) {
    const [x, y, z] = [flat[k], flat[k + 1], flat[k + 2]];
    for (let row = 0; row < 3; row += 1) found[k + row] = m[3 * row] * x + m[3 * row + 1] * y + m[3 * row + 2] * z;
  }
  return found;
}

function seen(turned, { at, size, depth }) {
  const found = new Float64Array((turned.length / 3) * 2);
  for (let k = 0; k < turned.length / 3; k += 1) {
    const near = size / (1 + depth * turned[3 * k + 2]);
    found[2 * k] = at[0] + near * turned[3 * k];
    found[2 * k + 1] = at[1] + near * turned[3 * k + 1];
  }
  return found;
}

// Path data of what is drawn on a prop, and of where it turns away from the eye. wire: as the server sends it.
export function wirePath(wire, placed) {
  const parts = [];
  for (const line of wire.lines) {
    const flat = seen(moved(line, placed), placed);
    let d = '';
    for (let k = 0; k < flat.length; k += 2) d += `${k ? 'L' : 'M'}${flat[k].toFixed(1)} ${flat[k + 1].toFixed(1)}`;
    parts.push(d);
  }
  const flat = seen(moved(wire.points, placed), placed);
  const { faces, edges } = wire;
  // Whether a face shows its front is told in the picture, nearness included.
  const front = new Int8Array(faces.length / 3);
  for (let k = 0; k < front.length; k += 1) {
    const [a, b, c] = [2 * faces[3 * k], 2 * faces[3 * k + 1], 2 * faces[3 * k + 2]];
    front[k] = (flat[b] - flat[a]) * (flat[c + 1] - flat[a + 1]) > (flat[b + 1] - flat[a + 1]) * (flat[c] - flat[a]) ? 1 : 0;
  }
  for (let k = 0; k < edges.length; k += 4) {
    if (front[edges[k + 2]] !== front[edges[k + 3]]) {
      const [a, b] = [2 * edges[k], 2 * edges[k + 1]];
      parts.push(`M${flat[a].toFixed(1)} ${flat[a + 1].toFixed(1)}L${flat[b].toFixed(1)} ${flat[b + 1].toFixed(1)}`);
    }
  }
  return parts.join('');
}
