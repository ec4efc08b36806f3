// Colours as they are written.

// A colour on the way from one to another, "#rrggbb"; share 0 is the first.
export function mixedHex(a, b, share) {
  if (share <= 0) return a;
  if (share >= 1) return b;
  const part = (hex, k) => parseInt(hex.slice(k, k + 2), 16);
  return `#${[1, 3, 5].map((k) => Math.round(part(a, k) + share * (part(b, k) - part(a, k))).toString(16).padStart(2, '0')).join('')}`;
}
