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

export function html(strings, ...values) {
  return new Markup(strings.reduce((text, part, k) => text + part + (k < values.length ? written(values[k]) : ''), ''));
}

export function fill(node, markup) {
  node.innerHTML = written(markup);
  return node;
}
