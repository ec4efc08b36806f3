// A picture laid on four corners, as the server lays it: in perspective.

// Where points of a picture of w x h come to lie. corners: upper left, upper right, lower right, lower left.
export function throughCorners(w, h, [[x0, y0], [x1, y1], [x2, y2], [x3, y3]]) {
  // Heckbert, Fundamentals of Texture Mapping (1989), section 2.2.3: the unit square onto any four corners.
  const [dx1, dx2, sx] = [x1 - x2, x3 - x2, x0 - x1 + x2 - x3];
  const [dy1, dy2, sy] = [y1 - y2, y3 - y2, y0 - y1 + y2 - y3];
  const det = dx1 * dy2 - dx2 * dy1 || 1e-9;
  const g = (sx * dy2 - dx2 * sy) / det;
  const k = (dx1 * sy - sx * dy1) / det;
  return ([px, py]) => {
    const [u, v] = [px / w, py / h];
    const far = g * u + k * v + 1;
    return [((x1 - x0 + g * x1) * u + (x3 - x0 + k * x3) * v + x0) / far, ((y1 - y0 + g * y1) * u + (y3 - y0 + k * y3) * v + y0) / far];
  };
}

// The affine map that brings three points of a picture onto three others, as `setTransform` takes it.
export function ofTriangle([[ax, ay], [bx, by], [cx, cy]], [[pax, pay], [pbx, pby], [pcx, pcy]]) {
  const det = (bx - ax) * (cy - ay) - (cx - ax) * (by - ay);
  const one = (pa, pb, pc) => [((pb - pa) * (cy - ay) - (pc - pa) * (by - ay)) / det, ((pc - pa) * (bx - ax) - (pb - pa) * (cx - ax)) / det];
  const [a, c] = one(pax, pbx, pcx);
  const [b, d] = one(pay, pby, pcy);
  return [a, b, c, d, pax - a * ax - c * ay, pay - b * ax - d * ay];
}
