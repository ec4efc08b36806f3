// One table of keys for the whole application. A key means the same on every card and at every stop, or nothing; so the key
// it has by itself is the name of what is meant. A person may give any of it another key (the page of keys): what is pressed
// is turned into what is meant here, and nowhere else. The left hand rests on A S D F: what is held lies above it.
//
// The wide sheet and the ledger have letters of their own while a frame round them says that they have the keys.

// On every card, whatever it asks: take what is proposed, take the other, later, nothing at all; take it apart; find a leak.
export const CARD = { take: 'j', other: 'k', third: 'm', later: 'l', none: 'x', leak: 'b', apart: 'shift+k', alike: 'u' };

// While held: the hand takes the paper, the paper turns, what the drawing is compared with is seen (the key left of 1,
// whatever stands on it).
export const HELD = { drag: '5', turn: '6', against: 'backquote' };

export const FLIP = { 1: -1, 2: 0, 3: 1 };

export const PAPER = { fit: '0', figure: '9', strip: '8', ledge: '4', large: 'shift+-', wide: '-' };

export const TIME = { sheet: '7', longer: 'shift+.', shorter: 'shift+,' };

// What is done to chosen lines.
export const CHOSEN = { join: 'shift+j', mirror: 'shift+m', smooth: 'shift+u', lighter: ',', heavier: '.', taper: 'shift+e', copy: 'shift+c',
  accept: CARD.take, delete: CARD.none };

export const STOPS = ['rough', 'line', 'seal', 'paint', 'tone', 'proof', 'hand-off'];
const NAMES = { 'hand-off': 'Hand off' };
const named = (stop) => NAMES[stop] ?? stop[0].toUpperCase() + stop.slice(1);

// Tools of one stop that others lend while their key is held: key -> [whose, which tool, where].
export const LENT = {
  s: ['line', 'trace', ['seal', 'paint', 'tone', 'proof']],
  r: ['line', 'redraw', ['seal', 'paint', 'tone', 'proof']],
  v: ['line', 'rub', ['seal', 'paint', 'tone', 'proof']],
  t: ['seal', 'stitch', ['line', 'paint', 'tone', 'proof']],
  b: ['seal', 'leak', ['line', 'paint', 'tone', 'proof']],
  f: ['paint', 'pour', ['line', 'seal', 'tone', 'proof']],
};

// Everything that has a key: [group, [[key, what it means], …]].
export const MEANINGS = [
  ['Looking', [
    ['1', 'held: the drawing before'], ['2', 'held: this drawing'], ['3', 'held: the drawing after'],
    ['a', 'a drawing back'], ['d', 'a drawing on'], ['home', 'the first drawing'], ['end', 'the last drawing'], ['shift+a', 'back to the key before'],
      ['shift+d', 'on to the next key'],
    ['space', 'play or stop'], ['shift+space', 'play at half speed'],
    [HELD.drag, 'held: drag the paper'], [HELD.turn, 'held: turn the paper'], [HELD.against, 'held: what it is compared with, see Look'],
    [PAPER.fit, 'the whole paper'], [PAPER.figure, 'the figure in this drawing; again: in the whole run'], [PAPER.strip, 'the drawings under the paper'],
    ['e', 'rough, line, or both'], ['o', 'onion skin'], ['shift+z', 'another look: silhouette, values, garish, no ink'],
    ['n', 'the next that is in doubt'],
  ]],
  ['Stops and ledge', [
    ...STOPS.map((stop, k) => [`shift+${k + 1}`, `go to ${named(stop)}`]),
    [PAPER.ledge, 'fold or open the ledge'], [PAPER.large, 'the ledge large'], [PAPER.wide, 'the sheet, wide'], ['?', 'the keys of this stop'],
  ]],
  ['Time', [[TIME.sheet, 'an empty sheet behind this drawing, laid on the table'], [TIME.longer, 'this drawing a frame longer'],
    [TIME.shorter, 'this drawing a frame shorter']]],
  ['Cards', [
    [CARD.take, 'take what is proposed; mend it; let it stand'], [CARD.other, 'the other, or leave it open'], [CARD.third, 'the third'], [CARD.later, 'later'],
    [CARD.none, 'nothing here; wave it through; take away'], [CARD.alike, 'as next door'], [CARD.apart, 'take the card apart'], [CARD.leak, 'find a leak'],
  ]],
  ['Tools', [
    ['s', 'draw a line'], ['r', 'redraw a stretch'], ['v', 'rub out'], ['c', 'choose'], ['p', 'draw a form'], ['shift+b', 'a broad brush'],
    ['f', 'pour'], ['g', 'a ring: into all that is bare in it'], ['i', 'sample a pot'], ['t', 'stitch'], ['z', 'lay over'], ['h', 'points and handles'],
    ['shift+s', 'point by point'], ['shift+r', 'bend'], ['shift+t', 'trim'], ['shift+x', 'cut'], ['shift+h', 'weigh'], ['shift+i', 'say what this is'],
      ['=', 'tidy a spot'],
    ['shift+f', 'base coat'], ['shift+w', 'through the whole run'], ['shift+l', 'the light'], ['shift+p', 'a form by its edge'],
  ]],
  ['Acts', [
    ['q', 'the one before in the dock'], ['w', 'the next in the dock'], ['shift+q', 'find a pot by its name'], ['shift+v', 'test colours'],
    ['y', 'pass on as they are'], ['shift+y', 'fit to the rough'], ['shift+n', 'a new pass'], ['shift+g', 'grey, or the colours of the key'],
      ['shift+o', 'the other side of an edge'],
    [CHOSEN.join, 'join'], [CHOSEN.mirror, 'mirror'], [CHOSEN.smooth, 'smooth'], [CHOSEN.lighter, 'lighter'], [CHOSEN.heavier, 'heavier'],
      [CHOSEN.taper, 'taper'], [CHOSEN.copy, 'copy'],
  ]],
];

// What the other end and the button of a pen do: [what, [[choice, words], …], what by itself].
export const PEN = [
  ['eraser', 'the eraser end', [['x', 'takes away, as the stop does it'], ['v', 'rubs out line'], ['', 'draws as the tip does']], 'x'],
  ['barrel', 'the button at the barrel', [['5', 'drags the paper'], ['i', 'samples a pot'], ['c', 'chooses'], ['', 'draws as the tip does']], '5'],
];

// ---- a person's own keys

export const person = () => document.cookie.split('; ').find((c) => c.startsWith('schoon-name='))?.slice(12) ?? '';
const store = () => `schoon-keys-${person()}`;

export const known = new Set(MEANINGS.flatMap(([, list]) => list.map(([key]) => key)));

// What a file or a note says, as far as it is sound: { keys: { meant: pressed }, pen: { eraser, barrel } }.
export function sound(said) {
  const pressed = /^(shift\+)?([a-z0-9]|space|backquote|home|end|[^\sa-z0-9])$/;
  const keys = Object.entries(said?.keys ?? {}).filter(([meant, key]) => known.has(meant) && typeof key === 'string' && (key === '' || pressed.test(key)));
  const pen = Object.entries(said?.pen ?? {})
    .filter(([what, choice]) => PEN.some(([name, , choices]) => name === what && choices.some(([id]) => id === choice)));
  return { keys: Object.fromEntries(keys), pen: Object.fromEntries(pen) };
}

export function own() {
  try { return sound(JSON.parse(localStorage[store()] ?? '{}')); } catch { return { keys: {}, pen: {} }; }
}

let [mine, back] = [null, null];
function table() {
  if (!back) {
    mine = own();
    back = new Map([...known].map((meant) => [mine.keys[meant] ?? meant, meant]));
  }
  return back;
}

export function keep(said) {
  localStorage[store()] = JSON.stringify(sound(said));
  back = null;
}

export function penDoes(what) { table(); return mine.pen[what] ?? PEN.find(([name]) => name === what)[3]; }

// Keys that several things are meant by: [pressed, [what, what]].
export function conflicts(keys) {
  const all = new Map();
  for (const [, list] of MEANINGS) for (const [meant, words] of list) { const key = keys[meant] ?? meant;
    if (key) all.set(key, [...(all.get(key) ?? []), words]); }
  return [...all].filter(([, what]) => what.length > 1);
}

// ---- what is pressed

// By their place where Shift writes something else on every keyboard.
const PLACED = { Period: '.', Comma: ',', Minus: '-' };

// The key as it is named here.
export function pressed(event) {
  const { code, key, shiftKey } = event;
  const shift = shiftKey ? 'shift+' : '';
  if (code === 'Backquote') return 'backquote';
  if (code === 'Space' || key === ' ') return `${shift}space`;
  if (/^Digit\d$/.test(code)) return key === '=' || key === '?' ? key : `${shift}${code[5]}`;
  if (code in PLACED) return key === '?' || key === '=' ? key : `${shift}${PLACED[code]}`;
  const letter = key.toLowerCase();
  return /^[a-z]$/.test(letter) ? `${shift}${letter}` : letter;
}

// What is meant by it, in the words of this table; the key itself where nothing is.
export const meant = (event) => {
  const key = pressed(event);
  const found = table().get(key);
  if (found !== undefined) return found;
  // A key whose own meaning was moved elsewhere means nothing.
  return known.has(key) ? '' : key;
};

// How a key is written on a tool.
export function written(key) {
  const [, shift, letter] = key.match(/^(shift\+)?(.*)$/);
  const plain = { space: 'Space', backquote: '⟨1', enter: 'Enter', home: 'Home', end: 'End', escape: 'Esc', delete: 'Delete' }[letter] ?? letter.toUpperCase();
  return `${shift ? '⇧' : ''}${plain}`;
}

// The key that a person has for what is meant.
export const shown = (key) => { table(); const mineOwn = mine.keys[key] ?? key; return mineOwn ? written(mineOwn) : ''; };
