// A colour changed here changes on every drawing that carries the pot; the line rule is laid on lines at Line.

import { notice, post } from './api.js';

for (const well of document.querySelectorAll('.well input')) {
  let before = well.value;
  well.addEventListener('change', async () => {
    try {
      await post(`/api/keys/${well.dataset.key}/colour`, { pot: Number(well.dataset.pot), colour: well.value });
      before = well.value;
      well.nextElementSibling.textContent = well.value;
    } catch (error) {
      well.value = before;
      notice(error.message, true);
    }
  });
}

const rule = document.getElementById('line-rule');

// The rule as it looks: an outline, an inner line and a detail, with their ends and a corner.
function showRule() {
  const value = (name) => Number(rule[name].value) || 1;
  const line = (y, width, name) => {
    const taper = Math.min(value('taper') || 0, 90);
    const h = width / 2;
    return `<path d="M10 ${y} Q${10 + taper / 2} ${y - h} ${10 + taper} ${y - h} L${190} ${y - h} L190 ${y + h} L${10 + taper} ${y + h} Q${10 + taper / 2} ${y + h} 10 ${y} Z" fill="currentColor"/><text x="200" y="${y + 4}" font-size="12">${name}</text>`;
  };
  rule.querySelector('svg').innerHTML = ['outline', 'inner', 'detail'].map((name, k) => line(8 + 14 * k, Math.min(12, value(name)), name)).join('');
}

if (rule) {
  showRule();
  rule.addEventListener('submit', (event) => event.preventDefault());
  rule.addEventListener('input', showRule);
  rule.addEventListener('change', async () => {
    const want = { corner: rule.corner.value };
    for (const name of ['outline', 'inner', 'detail', 'taper']) want[name] = Number(rule[name].value);
    try {
      await post(`/api/models/${rule.dataset.model}/rule`, want);
      notice('Line rule kept; lay it on the lines at Line with “Weigh by the line rule”');
    } catch (error) { notice(error.message, true); }
  });
}
