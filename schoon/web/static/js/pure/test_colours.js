// Colours as far apart as can be: turned by the golden angle, with light and saturation taken in turns.

const TURN = 137.5;
const LIGHTNESS = [45, 68, 32];

export const testColour = (k) => `hsl(${(k * TURN) % 360} ${k % 2 ? 95 : 80}% ${LIGHTNESS[k % LIGHTNESS.length]}%)`;
