// The lead: dabs of grain along the way of the pen, by pressure and tilt, laid on a canvas.

const SPRITE = 64;
const KINDS = 5;
// Dabs lie this far apart, in their radius; at least so many px.
const APART = 0.32;
const LEAST = 0.5;
// From this lean on, degrees from upright, a pen draws with the side of its lead.
const SIDE_FROM = 35;

function sprite(colour, grain) {
  const canvas = new OffscreenCanvas(SPRITE, SPRITE);
  const ink = canvas.getContext('2d');
  const image = ink.createImageData(SPRITE, SPRITE);
  const [r, g, b] = [1, 3, 5].map((k) => parseInt(colour.slice(k, k + 2), 16));
  for (let y = 0; y < SPRITE; y += 1) {
    for (let x = 0; x < SPRITE; x += 1) {
      const far = Math.hypot(x + 0.5 - SPRITE / 2, y + 0.5 - SPRITE / 2) / (SPRITE / 2);
      const soft = Math.min(1, Math.max(0, (1 - far) * 2.6));
      image.data.set([r, g, b, 255 * soft * (1 - grain * Math.random())], 4 * (y * SPRITE + x));
    }
  }
  ink.putImageData(image, 0, 0);
  return canvas;
}

export class Pencil {
  // width: px at full pressure. grain: 0..1.
  constructor(colour, width, grain) {
    Object.assign(this, { width });
    this.sprites = Array.from({ length: KINDS }, () => sprite(colour, grain));
  }

  // How broad and how strong a dab is. event: of the pen.
  lead(event, pressed) {
    const lean = Math.hypot(event.tiltX || 0, event.tiltY || 0);
    const side = Math.min(1, Math.max(0, (lean - SIDE_FROM) / 40));
    return { radius: (this.width / 2) * (0.35 + 0.65 * pressed) * (1 + 2.5 * side), strength: (0.18 + 0.72 * pressed) * (1 - 0.55 * side) };
  }

  // Dabs from one place to another, from [x, y, radius, strength] to the same; what is left of the way is given back.
  way(ink, from, to, left = 0) {
    const long = Math.hypot(to[0] - from[0], to[1] - from[1]);
    let at = left;
    while (at <= long) {
      const share = long ? at / long : 0;
      const [x, y, radius, strength] = from.map((v, k) => v + share * (to[k] - v));
      this.dab(ink, x, y, radius, strength);
      at += Math.max(LEAST, APART * radius);
    }
    return at - long;
  }

  dab(ink, x, y, radius, strength) {
    ink.globalAlpha = strength * 0.55;
    ink.save();
    ink.translate(x, y);
    ink.rotate(Math.random() * 6.283);
    ink.drawImage(this.sprites[Math.floor(Math.random() * KINDS)], -radius, -radius, 2 * radius, 2 * radius);
    ink.restore();
    ink.globalAlpha = 1;
  }
}
