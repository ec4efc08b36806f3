// Every tool, once: its sign, its name, its key, its place in the rail, what it does. The rail, the slip beside it and the
// list of keys read it.

import { CARD } from '../keys.js';

// What a group of the rail is for.
export const GROUPS = { draw: 'Draw', correct: 'Correct', judge: 'Judge', run: 'Whole run' };

// stop -> tool -> [name, key, group, what it does, how: `fold` lies in the fold of its group, a view of the ledge that it
// belongs to, `film: false` if there is no moving picture of it (`bench/moving.py`)].
const OF = {
  rough: {
    pencil: ['Pencil', 's', 'draw', 'draws on the upper pass of the rough'],
    rub: ['Rub out', 'v', 'draw', 'takes pencil away along the pen'],
    piece: ['Piece', 'c', 'correct', 'lifts what is drawn round, to be moved, turned and bent'],
  },
  line: {
    trace: ['Trace', 's', 'draw', 'draws a line; its width follows the pressure'],
    redraw: ['Redraw', 'r', 'draw', 'draws a stretch of a line anew'],
    plot: ['Point by point', 'shift+s', 'draw', 'sets a line point by point, straight, round or as an oval', { fold: true }],
    rub: ['Rub out', 'v', 'draw', 'takes ink away along the pen'],
    choose: ['Choose', 'c', 'correct', 'chooses lines, to be moved, joined, weighed'],
    points: ['Points', 'h', 'correct', 'moves the points of a line'],
    trim: ['Trim', 'shift+t', 'correct', 'takes a stretch away up to the next crossings'],
    bend: ['Bend', 'shift+r', 'correct', 'drags a line; what is near follows', { fold: true }],
    cut: ['Cut', 'shift+x', 'correct', 'makes two lines of one', { fold: true }],
    weigh: ['Weigh', 'shift+h', 'correct', 'makes a line heavier or lighter', { fold: true }],
    'lay-over': ['Lay over', 'z', 'judge', 'slides other drawings over this one, to compare'],
    say: ['This is', 'shift+i', 'judge', 'says what marks are, so that all are read so', { view: 'read' }],
    tidy: ['Tidy here', '=', 'judge', 'reads a tangled spot in three ways', { view: 'read' }],
    arc: ['Arc', '', 'run', 'bends the way of a line between two drawings', { view: 'between' }],
    sway: ['Bend a hold', '', 'run', 'bends a held drawing slowly', { view: 'hold' }],
    prop: ['Place a prop', '', 'run', 'lays a rigid prop over the rough', { view: 'prop' }],
    'sheet-part': ['Off the sheet', '', 'run', 'lays a part of the model sheet on four corners', { view: 'parts', film: false }],
  },
  seal: {
    stitch: ['Stitch', 't', 'correct', 'shuts a gap: from one end of it to the other'],
    delete: ['Unstitch', CARD.none, 'correct', 'takes a stitch away'],
    leak: ['Find a leak', CARD.leak, 'judge', 'shows where paint would run out'],
    choose: ['Choose', 'c', 'judge', 'chooses a stitch'],
  },
  paint: {
    pour: ['Pour', 'f', 'draw', 'fills the form under the pen with the pot in the hand'],
    ring: ['Ring', 'g', 'draw', 'fills all that is bare in what is drawn round'],
    'cut-out': ['Cut out', 'p', 'draw', 'makes a form of its own where no line is'],
    broad: ['Broad', 'shift+b', 'draw', 'lays a form without line'],
    lift: ['Lift off', 'x', 'draw', 'takes paint away'],
    sample: ['Sample', 'i', 'correct', 'takes the pot that is under the pen'],
    part: ['Part', 'shift+i', 'correct', 'says to which part a patch belongs', { fold: true }],
    'whole-run': ['Whole run', 'shift+w', 'run', 'pours the same form in all drawings'],
    base: ['Base coat', 'shift+f', 'run', 'fills all that is bare within the outline', { fold: true }],
  },
  tone: {
    sun: ['Sun', 'shift+l', 'draw', 'sets where the light stands'],
    block: ['Block', 'p', 'draw', 'draws a tone by its outline'],
    edge: ['Edge', 'shift+p', 'draw', 'parts a form in light and shade by one stroke'],
    brush: ['Brush', 'shift+b', 'draw', 'paints a tone'],
    take: ['Take away', 'x', 'draw', 'takes tone away'],
    choose: ['Choose', 'c', 'correct', 'chooses a tone, to be moved or changed'],
  },
};

const LENT_WORDS = { s: 'Trace', r: 'Redraw', v: 'Rub out', t: 'Stitch', b: 'Leak', f: 'Pour' };
const LENT_SIGNS = { s: 'trace', r: 'redraw', v: 'rub', t: 'stitch', b: 'leak', f: 'pour' };
// Those of other stops that are always in sight; the others lie in the fold.
const AT_HAND = { line: ['t'], seal: ['r', 'f'], paint: ['t', 'r'], tone: ['r', 't'], proof: ['r', 't', 'f'] };

const SIGNS = { 'line sway': 'hold', 'line sheet-part': 'off-sheet', 'seal delete': 'unstitch', 'seal choose': 'choose', 'tone choose': 'choose' };

// Gives the tools of a stop what is said of them here. Raises if one is not described: it would not be found.
export function describe(stage) {
  const known = OF[stage.name] ?? {};
  for (const tool of stage.tools) {
    const said = known[tool.id];
    if (!said) throw new Error(`The tool ${tool.id} of ${stage.name} is not described`);
    const [label, key, group, does, how = {}] = said;
    const film = how.film === false ? '' : `${stage.name}-${tool.id}`;
    Object.assign(tool, { label, key, group, does, sign: SIGNS[`${stage.name} ${tool.id}`] ?? tool.id, ...how, film });
    tool.pen ??= label;
  }
  // In the order of the table above.
  const order = Object.keys(known);
  stage.tools.sort((a, b) => order.indexOf(a.id) - order.indexOf(b.id));
}

// What a stop is lent: [key, name, sign, whether it is always in sight].
export const lentTo = (stop, keys) => keys.map((key) => [key, LENT_WORDS[key], LENT_SIGNS[key], AT_HAND[stop]?.includes(key) ?? false]);
