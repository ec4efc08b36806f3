// Colours as the eye orders them: lightness, chroma and hue of OKLCH (B. Ottosson, A perceptual color space for image
// processing, 2020).

const toLinear = (v) => (v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4);
const toEncoded = (v) => (v <= 0.0031308 ? 12.92 * v : 1.055 * v ** (1 / 2.4) - 0.055);
const TO_CONES = [[0.4122214708, 0.5363325363, 0.0514459929], [0.2119034982, 0.6806995451, 0.1073969566], [0.0883024619, 0.2817188376, 0.6299787005]];
const TO_LAB = [[0.2104542553, 0.793617785, -0.0040720468], [1.9779984951, -2.428592205, 0.4505937099], [0.0259040371, 0.7827717662, -0.808675766]];
const FROM_LAB = [[1, 0.3963377774, 0.2158037573], [1, -0.1055613458, -0.0638541728], [1, -0.0894841775, -1.291485548]];
const FROM_CONES = [[4.0767416621, -3.3077115913, 0.2309699292], [-1.2684380046, 2.6097574011, -0.3413193965], [-0.0041960863, -0.7034186147, 1.707614701]];
const by = (matrix, v) => matrix.map((row) => row[0] * v[0] + row[1] * v[1] + row[2] * v[2]);
// How far beyond what a screen can show a part of a colour may lie and still count as shown.
const EDGE = 1e-4;

// '#rrggbb' as { l, c, h }: l 0 to 1, c 0 to about .37, h in degrees.
export function toOklch(hex) {
  const rgb = [1, 3, 5].map((k) => toLinear(parseInt(hex.slice(k, k + 2), 16) / 255));
  const [l, a, b] = by(TO_LAB, by(TO_CONES, rgb).map(Math.cbrt));
  return { l, c: Math.hypot(a, b), h: (Math.atan2(b, a) * (180 / Math.PI) + 360) % 360 };
}

function linear({ l, c, h }) {
  const angle = h * (Math.PI / 180);
  return by(FROM_CONES, by(FROM_LAB, [l, c * Math.cos(angle), c * Math.sin(angle)]).map((v) => v ** 3));
}

// The nearest that a screen can show, by less chroma at the same lightness and hue.
export function fromOklch(colour) {
  const l = Math.min(1, Math.max(0, colour.l));
  const shows = (c) => linear({ ...colour, l, c }).every((v) => v >= -EDGE && v <= 1 + EDGE);
  let c = Math.max(0, colour.c);
  if (!shows(c)) {
    let [low, high] = [0, c];
    for (let k = 0; k < 24; k += 1) { const middle = (low + high) / 2; if (shows(middle)) low = middle; else high = middle; }
    c = low;
  }
  return `#${linear({ ...colour, l, c }).map((v) => Math.round(255 * Math.min(1, Math.max(0, toEncoded(Math.min(1, Math.max(0, v)))))).toString(16)
    .padStart(2, '0')).join('')}`;
}

// The same change for several colours: what lies between two, added to each.
export const shiftedBy = (colour, { l, c, h }) => ({ l: Math.min(1, Math.max(0, colour.l + l)), c: Math.max(0, colour.c + c), h: (colour.h + h + 360) % 360 });
