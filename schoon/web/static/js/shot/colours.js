// The colour keys in which the shot is seen: its colours as CSS variables, and addresses of pictures in them.

import { mixedHex } from '../pure/colour.js';

export class Colours {
  constructor(app) {
    this.app = app;
    this.tag = '';
    // Pots as they are being tuned: pot -> colour, seen and not kept.
    this.tried = new Map();
    this.use(app.data.key);
    app.on('drawn', () => this.follow());
  }

  get key() { return this.app.data.keys.find((k) => k.id === this.app.data.key); }

  get level() { return this.app.data.levels.find((l) => l.id === this.app.data.shot.level_id); }

  // frame -> another key from there on.
  get changes() { return this.level?.key_changes ?? {}; }

  use(id) {
    const { data } = this.app;
    const key = data.keys.find((k) => k.id === id) || data.keys[0];
    if (!key) return;
    data.key = key.id;
    this.seen = null;
    this.show(key, key, 0);
    for (const pot of data.pots) document.documentElement.style.setProperty(`--see-${pot.id}`, pot.opacity / 100);
    this.tag = tagOf([key, data.pots.map((p) => p.opacity), this.level?.finish ?? [], this.changes]);
    this.app.tell('colours');
  }

  // Shows colours on the paper and in the dock.
  paint(colours) { for (const [pot, colour] of colours) document.documentElement.style.setProperty(`--pot-${pot}`, colour); }

  // Looks at the run in other colours, without keeping them.
  try(colours) {
    const { data } = this.app;
    this.tried = colours;
    if (!colours.size) { this.use(data.key); this.app.tell('run'); return; }
    this.paint(colours);
    this.tag = `${tagOf([this.key, [...colours]])}t`;
    this.app.tell('run');
    // What plays is read in these colours as well; what was there plays on until it has come.
    if (this.app.player.on) this.app.player.read();
  }

  // As addresses of pictures say it.
  get triedWords() { return this.tried.size ? `&tried=${[...this.tried].map(([pot, hex]) => `${pot}-${hex.slice(1)}`).join(',')}` : ''; }

  // Where keys change over time, the drawing on the table is seen in the colours it has there.
  follow() {
    if (!Object.keys(this.changes).length) return;
    const frame = this.app.data.spans.find(([, , d]) => d === this.app.current.id)?.[0] ?? 1;
    const [first, second, share] = this.at(frame);
    const name = `${first.id} ${second.id} ${share}`;
    if (name === this.seen) return;
    this.seen = name;
    this.show(first, second, share);
  }

  // As the server computes it: two keys and how far it is from one to the other.
  at(frame) {
    const { data } = this.app;
    const frames = [1, ...Object.keys(this.changes).map(Number).filter((f) => f > 1).sort((a, b) => a - b)];
    const keyAt = (k) => data.keys.find((key) => key.id === this.changes[frames[k]]?.key) ?? this.key;
    const now = frames.findLastIndex((f) => f <= frame);
    if (now + 1 < frames.length && this.changes[frames[now + 1]].eased) return [keyAt(now), keyAt(now + 1),
      (frame - frames[now]) / (frames[now + 1] - frames[now])];
    return [keyAt(now), keyAt(now), 0];
  }

  show(first, second, share) {
    const before = this.toned;
    // Whose tones are seen.
    this.toned = (share > 0.5 ? second : first).id;
    if (before && before !== this.toned) this.app.table?.tones();
    const { style } = document.documentElement;
    const set = (name, a, b) => style.setProperty(name, mixedHex(a ?? b, b ?? a, share));
    for (const pot of Object.keys(first.colours)) set(`--pot-${pot}`, first.colours[pot], second.colours[pot]);
    for (const [kind, table] of Object.entries(first.toned)) for (const pot of Object.keys(table)) set(`--tone-${kind}-${pot}`, table[pot],
      second.toned[kind][pot]);
    set('--key-ink', first.ink, second.ink);
    set('--key-backdrop', first.backdrop, second.backdrop);
  }

  // The picture of a drawing, `width` px wide; its address changes with all that is seen in it.
  viewUrl(entry, width, look) {
    const { key } = this.app.data;
    const coloured = look !== 'rough' && key && !Object.keys(this.changes).length ? `&key=${key}` : '';
    const version = look === 'rough' ? entry.rough || 'r' : `${entry.revision}.${this.tag}`;
    return `/drawings/${entry.id}/view.webp?w=${width}&look=${look}${coloured}${look === 'rough' ? '' : this.triedWords}&v=${version}`;
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
