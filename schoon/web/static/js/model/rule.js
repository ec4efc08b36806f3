// The line rule of the model, shown as it looks; it is laid on lines at Line.

import { fill, html } from '../dom.js';
import { notice } from '../api.js';
import { change } from '../edits/queue.js';

// What is never 0.
const WEIGHTS = { outline: 1, inner: 1, detail: 1, thinnest: 1, thickest: 1 };

const rule = document.getElementById('line-rule');

// The rule as it looks: an outline, an inner line and a detail, with their ends and a corner.
function showRule() {
  const value = (name) => (name in WEIGHTS ? Number(rule[name].value) || 1 : Number(rule[name].value));
  const line = (y, width, name) => {
    const taper = Math.min(value('taper') || 0, 90);
    const h = width / 2;
    // Pressed in its middle, lifted before its end.
    const swell = value('swell') || 0;
    const thick = h * (1 + swell * (value('thickest') - 1));
    const thin = h * (1 - swell * (1 - value('thinnest')));
    const side = (sign) => {
      const [near, far] = [y + sign * thin, y + sign * thick];
      return `Q${10 + taper / 2} ${near} ${10 + taper} ${near} C${60 + taper / 2} ${near} 70 ${far} 110 ${far} S160 ${near} 190 ${near}`;
    };
    return html`<path d="M10 ${y} ${side(-1)} L190 ${y} Z" fill="currentColor"/><path d="M10 ${y} ${side(1)} L190 ${y} Z" fill="currentColor"/><text
      x="200" y="${y + 4}" font-size="12">${name}</text>`;
  };
  fill(rule.querySelector('svg'), ['outline', 'inner', 'detail'].map((name, k) => line(8 + 14 * k, Math.min(12, value(name)), name)));
}

if (rule) {
  showRule();
  rule.addEventListener('submit', (event) => event.preventDefault());
  rule.addEventListener('input', showRule);
  rule.addEventListener('change', async () => {
    const want = { corner: rule.corner.value };
    for (const name of ['outline', 'inner', 'detail', 'taper', 'swell', 'thinnest', 'thickest']) want[name] = Number(rule[name].value);
    try {
      await change('models', rule.dataset.model, 'rule', want);
      notice('Line rule kept; lay it on the lines at Line with “Weigh by rule”');
    } catch (error) { notice(error.message, true); }
  });
}
