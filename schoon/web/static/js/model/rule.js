// The line rule of the model, shown as it looks; it is laid on lines at Line.

import { fill, html } from '../dom.js';
import { change, notice } from '../api.js';

const rule = document.getElementById('line-rule');

// The rule as it looks: an outline, an inner line and a detail, with their ends and a corner.
function showRule() {
  const value = (name) => Number(rule[name].value) || 1;
  const line = (y, width, name) => {
    const taper = Math.min(value('taper') || 0, 90);
    const h = width / 2;
    return html`<path d="M10 ${y} Q${10 + taper / 2} ${y - h} ${10 + taper} ${y - h} L${190} ${y - h} L190 ${y + h} L${10 + taper} ${y + h} Q${10 + taper / 2} ${y + h} 10 ${y} Z" fill="currentColor"/><text x="200" y="${y + 4}" font-size="12">${name}</text>`;
  };
  fill(rule.querySelector('svg'), ['outline', 'inner', 'detail'].map((name, k) => line(8 + 14 * k, Math.min(12, value(name)), name)));
}

if (rule) {
  showRule();
  rule.addEventListener('submit', (event) => event.preventDefault());
  rule.addEventListener('input', showRule);
  rule.addEventListener('change', async () => {
    const want = { corner: rule.corner.value };
    for (const name of ['outline', 'inner', 'detail', 'taper']) want[name] = Number(rule[name].value);
    try {
      await change('models', rule.dataset.model, 'rule', want);
      notice('Line rule kept; lay it on the lines at Line with “Weigh by rule”');
    } catch (error) { notice(error.message, true); }
  });
}
