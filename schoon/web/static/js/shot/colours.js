// The colour key in which the shot is seen: its colours as CSS variables, and addresses of pictures in it.

export class Colours {
  constructor(app) {
    this.app = app;
    this.tag = '';
    this.use(app.data.key);
  }

  get key() { return this.app.data.keys.find((k) => k.id === this.app.data.key); }

  use(id) {
    const { data } = this.app;
    const key = data.keys.find((k) => k.id === id) || data.keys[0];
    if (!key) return;
    data.key = key.id;
    const { style } = document.documentElement;
    for (const [pot, colour] of Object.entries(key.colours)) style.setProperty(`--pot-${pot}`, colour);
    for (const pot of data.pots) style.setProperty(`--see-${pot.id}`, pot.opacity / 100);
    for (const [kind, table] of Object.entries(key.toned)) for (const [pot, colour] of Object.entries(table)) style.setProperty(`--tone-${kind}-${pot}`, colour);
    style.setProperty('--key-ink', key.ink);
    style.setProperty('--key-backdrop', key.backdrop);
    const level = data.levels.find((l) => l.id === data.shot.level_id);
    this.tag = tagOf([key, data.pots.map((p) => p.opacity), level?.finish ?? []]);
    this.app.tell('colours');
  }

  // The picture of a drawing, `width` px wide; its address changes with all that is seen in it.
  viewUrl(entry, width, look) {
    const { key } = this.app.data;
    const coloured = look !== 'rough' && key ? `&key=${key}` : '';
    const version = look === 'rough' ? 'r' : `${entry.revision}.${this.tag}`;
    return `/drawings/${entry.id}/view.webp?w=${width}&look=${look}${coloured}&v=${version}`;
  }

  // The ink that was drawn, of a drawing that keeps it. line: as the server gives it.
  ownUrl(entry, line) {
    const { key } = this.app.data;
    return `/drawings/${entry.id}/own.png?${key ? `key=${key}&` : ''}v=${line.own}.${this.tag}`;
  }
}

// A short name that changes with what it is of.
function tagOf(what) {
  let hash = 0;
  for (const letter of JSON.stringify(what)) hash = (hash * 31 + letter.charCodeAt(0)) | 0;
  return (hash >>> 0).toString(36);
}
