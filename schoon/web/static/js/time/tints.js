// Colours of the wide sheet as the theme has them: a canvas reads no styles by itself.

const NAMES = {
  INK: '--ink', SOFT: '--soft', PALE: '--faint', LINE: '--line', FAINT: '--hair', TEAL: '--accent',
  ALARM: '--alarm', PAPER: '--field', HEAD: '--paper', TRIED: '--tried', CLOUD: '--cloud', GLOW: '--glow',
};

export const tints = { ...NAMES };

export function readTints() {
  const style = getComputedStyle(document.documentElement);
  for (const [name, property] of Object.entries(NAMES)) tints[name] = style.getPropertyValue(property).trim();
}

readTints();
