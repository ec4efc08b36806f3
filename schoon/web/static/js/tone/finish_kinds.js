// What entries of the finish there are, what is asked of each, and what it starts as.

export const WHERE = { all: 'all lines', inner: 'lines inside one pot', outline: 'the outline' };
const BLEND = { normal: 'laid on', multiply: 'multiplied', screen: 'screened' };
const PICTURES = { weave: 'weave', wash: 'wash', grain: 'grain', dots: 'dots', hatch: 'hatching' };
export const TREATMENTS = { 'no-ink': 'no ink', 'ink-only': 'ink only', grey: 'grey but for one pot', strong: 'strong flats', dots: 'dots by darkness',
  reversed: 'reversed', squares: 'squares', grain: 'grain' };
const FAR = [-20000, 20000, 1];
const SURFACE = [['scale', 'scale', 'number', [0.1, 10, 0.1]], ['amount', 'amount', 'share'], ['curve', 'curve', 'number', [0.1, 10, 0.1]],
  ['blend', '', 'choice', BLEND], ['cycle', 'cycle of drawings', 'whole', [1, 12, 1]]];

// kind -> its name, its fields: [name, words, how it is asked for, its choices or bounds], and what it starts as.
// Fields of the hows 'number' and 'share' can change over time. folded: fields that are rarely written, since they are dragged on
// the paper or good as they are.
export const KINDS = {
  'line-colour': {
    words: 'Line colour',
    fields: [['how', 'colour', 'choice', { pot: 'of the pot', one: 'one colour' }], ['colour', '', 'colour'], ['where', 'for', 'choice', WHERE],
      ['parts', 'parts', 'parts']],
    plain: { how: 'pot', colour: '#5b3a29', where: 'all', parts: [] },
  },
  'line-weight': {
    words: 'Line weight',
    fields: [['factor', 'times', 'number', [0.1, 6, 0.1]], ['where', 'for', 'choice', WHERE]],
    plain: { factor: 1.4, where: 'outline' },
  },
  'line-body': {
    words: 'Line with body',
    fields: [['tool', '', 'choice', { lead: 'soft lead', dry: 'dry brush', felt: 'felt pen' }], ['rough', 'rough edge', 'share'],
      ['grain', 'grain', 'share'], ['size', 'grain px', 'number', [0.5, 40, 0.5]], ['cycle', 'cycle of drawings', 'whole', [1, 12, 1]],
        ['parts', 'parts', 'parts']],
    folded: ['size', 'cycle'],
    plain: { tool: 'lead', rough: 0.4, grain: 0.5, size: 3, cycle: 3, parts: [] },
  },
  cast: {
    words: 'Cast shadow',
    fields: [['high', 'height', 'number', [-3, 3, 0.05]], ['wide', 'width', 'number', [0.02, 6, 0.05]], ['shear', 'lean', 'number', [-6, 6, 0.1]],
      ['turn', 'turn °', 'number', [-180, 180, 1]], ['x', 'shift x', 'number', FAR], ['y', 'y', 'number', FAR], ['soft', 'soft px', 'number', [0, 200, 1]],
        ['colour', 'colour', 'colour'], ['opacity', 'opacity', 'share'], ['areas', '', 'areas'], ['parts', 'cast by', 'parts']],
    folded: ['wide', 'shear', 'turn', 'x', 'y'],
    plain: { x: 0, y: 0, wide: 1, high: 0.32, shear: -0.9, turn: 0, soft: 3, colour: '#1d2b3a', opacity: 0.35, parts: [], areas: [] },
  },
  contact: {
    words: 'Contact shadow',
    fields: [['parts', 'of', 'parts'], ['onto', 'onto', 'parts'], ['x', 'shift x', 'number', FAR], ['y', 'y', 'number', FAR],
      ['tone', 'in', 'choice', { shade: 'shade', deep: 'deep shade' }]],
    folded: ['x', 'y'],
    plain: { parts: [], onto: [], x: 6, y: 14, tone: 'shade' },
  },
  wash: {
    words: 'Wash',
    fields: [['shape', '', 'choice', { straight: 'straight', round: 'round' }], ['x0', 'from x', 'number', FAR], ['y0', 'y', 'number', FAR],
      ['x1', 'to x', 'number', FAR], ['y1', 'y', 'number', FAR], ['colour', 'colour', 'colour'], ['blend', '', 'choice', BLEND],
        ['opacity', 'opacity', 'share'], ['parts', 'on', 'parts']],
    folded: ['x0', 'y0', 'x1', 'y1'],
    plain: { shape: 'straight', x0: 0, y0: 0, x1: 0, y1: 600, colour: '#ffd27a', blend: 'multiply', opacity: 0.6, parts: [] },
  },
  texture: {
    words: 'Texture',
    fields: [['picture', '', 'picture', PICTURES], ['where', 'in', 'choice', { all: 'all of it', shade: 'the shade' }], ...SURFACE,
      ['follows', 'moves with the figure', 'tick'], ['bend', 'bows with the form', 'share'], ['parts', 'on', 'parts']],
    folded: ['scale', 'curve', 'blend', 'cycle', 'bend'],
    plain: { picture: 'weave', own: null, scale: 1, amount: 0.35, curve: 1, blend: 'multiply', cycle: 1, follows: true, bend: 0, where: 'all', parts: [] },
  },
  paper: {
    words: 'Paper',
    fields: [['picture', '', 'picture', PICTURES], ...SURFACE],
    folded: ['curve', 'blend', 'cycle'],
    plain: { picture: 'grain', own: null, scale: 1, amount: 0.25, curve: 1, blend: 'multiply', cycle: 4 },
  },
  flare: {
    words: 'Flare',
    fields: [['pot', 'about', 'pot', 'a place'], ['x', 'x', 'number', FAR], ['y', 'y', 'number', FAR], ['size', 'size px', 'number', [2, 20000, 10]],
      ['rays', 'rays', 'whole', [0, 24, 1]], ['turn', 'turn °', 'number', [-360, 360, 5]], ['colour', 'colour', 'colour'], ['opacity', 'opacity', 'share']],
    folded: ['x', 'y', 'size', 'turn'],
    plain: { pot: null, x: 0, y: 0, size: 260, rays: 6, turn: 15, colour: '#ffd98a', opacity: 0.7 },
  },
  glass: {
    words: 'Glass',
    fields: [['pots', 'of', 'pots'], ['kept', 'kept readable', 'pots'], ['readable', 'by', 'share']],
    plain: { pots: [], kept: [], readable: 0.7 },
  },
  highlight: {
    words: 'Highlight',
    fields: [['pots', 'on', 'pots'], ['turn', 'side °', 'number', [-360, 360, 5]], ['out', 'out', 'share'], ['size', 'size', 'share'],
      ['colour', 'colour', 'colour']],
    plain: { pots: [], turn: -40, out: 0.45, size: 0.3, colour: '#ffffff' },
  },
  hide: {
    words: 'Hide an area',
    fields: [['ring', '', 'ring'], ['outside', 'all but the area', 'tick'], ['parts', 'of', 'parts']],
    plain: { x0: 0, y0: 0, x1: 0, y1: 0, ring: null, outside: false, parts: [] },
  },
  treatment: {
    words: 'Treatment',
    fields: [['what', '', 'choice', TREATMENTS], ['pot', 'pot kept', 'pot', 'none'], ['amount', 'amount', 'share'],
      ['size', 'size px', 'number', [1, 400, 1]], ['turn', 'turn °', 'number', [-360, 360, 5]]],
    plain: { what: 'no-ink', pot: null, size: 12, turn: 30, amount: 1 },
  },
};

// What a treatment asks for: the rest means nothing for it.
const ASKED = { 'no-ink': [], 'ink-only': [], grey: ['pot', 'amount'], strong: ['pot', 'amount'], dots: ['amount', 'size', 'turn'], reversed: ['amount'],
  squares: ['amount', 'size'], grain: ['amount', 'size'] };

// The fields that are asked for of an entry as it stands.
export function fieldsOf(entry) {
  const { fields } = KINDS[entry.kind];
  if (entry.kind === 'treatment') return fields.filter(([name]) => name === 'what' || ASKED[entry.what].includes(name));
  if (entry.kind === 'flare' && entry.pot) return fields.filter(([name]) => name !== 'x' && name !== 'y');
  if (entry.kind === 'line-colour' && entry.how === 'pot') return fields.filter(([name]) => name !== 'colour');
  return fields;
}

// Those of them that are folded.
export const isFolded = (entry, [name]) => KINDS[entry.kind].folded?.includes(name) ?? false;

export const changing = (entry) => fieldsOf(entry).filter(([, , how]) => how === 'number' || how === 'share').map(([name]) => name);
