// The one way in which text becomes markup. Whatever is put between is text, names that people gave above all;
// only what `html` itself has made is markup.

const SIGNS = { '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;', "'": '&#39;' };

class Markup {
  constructor(text) { this.text = text; }
}

function written(value) {
  if (value instanceof Markup) return value.text;
  if (Array.isArray(value)) return value.map(written).join('');
  if (value === null || value === undefined || value === false) return '';
  return String(value).replace(/[&<>"']/g, (sign) => SIGNS[sign]);
}

// What is not so is said too, where it stands in an aria attribute.
const STATED = /aria-[a-z]+="$/;

export function html(strings, ...values) {
  const piece = (part, value) => (value === false && STATED.test(part) ? 'false' : written(value));
  return new Markup(strings.reduce((text, part, k) => text + part + (k < values.length ? piece(part, values[k]) : ''), ''));
}

export function fill(node, markup) {
  node.innerHTML = written(markup);
  return node;
}

// The field that was entered and has not been said since: what is written next may replace all that is chosen in it.
let entered = null;
document.addEventListener('focusin', ({ target }) => { entered = target; });

// A field of the box that is being written in, and not yet said, is not replaced: what shall stand there waits until the
// field is left. True if it waits.
export function waits(box, show) {
  const field = document.activeElement;
  if (!box.contains(field) || !field.matches('input:not([type="checkbox"]):not([type="range"])')) return false;
  if (entered !== field && field.value === field.defaultValue) return false;
  if (!field.dataset.waits) {
    field.dataset.waits = 'yes';
    field.addEventListener('blur', () => show(), { once: true });
  }
  return true;
}

// What was written is said: it may be replaced.
export function settled(field) {
  if (entered === field) entered = null;
  if (field.matches('input')) field.defaultValue = field.value;
}
