// One table of keys for the whole application. A letter means the same on every card and in every stage; the tools of a
// stage have letters of their own, which stand on the tools. The left hand rests on A S D F: what is held lies above it.

// On every card, whatever it asks: take what is proposed, take the other, later, nothing at all.
export const CARD = { take: 'j', other: 'k', third: 'm', later: 'l', none: 'x', leak: 'b' };

// While held: the hand takes the paper, the paper turns, what the drawing is compared with is seen (the key left of 1,
// whatever stands on it), a handle moves alone.
export const HELD = { drag: '5', turn: '6', against: 'Backquote', alone: 'q' };

export const FLIP = { 1: -1, 2: 0, 3: 1 };

export const PAPER = { fit: '0', figure: '9', wings: '8', ledge: 'Digit4', wide: '-' };

// What is done to chosen lines.
export const CHOSEN = { join: 'g', mirror: 'm', smooth: 'i', lighter: ',', heavier: '.', taper: 'p', copy: 'u', accept: CARD.take, delete: CARD.none };

// Everywhere, for the list of keys.
export const EVERYWHERE = [
  ['1 2 3', 'held: previous, current, next drawing'],
  ['A D', 'a drawing back or on; with Shift to the next key'],
  ['Space', 'play or stop; with Shift at half speed'],
  [HELD.drag, 'held: drag the paper'],
  [HELD.turn, 'held: turn the paper'],
  ['left of 1', 'held: what it is compared with, see Look'],
  ['wheel', 'zoom at the pointer'],
  [PAPER.fit, 'the whole paper'],
  [PAPER.figure, 'the figure in this drawing; again: in the whole run'],
  ['4', 'fold or open the ledge; with Shift large'],
  [PAPER.wings, 'wings'],
  [PAPER.wide, 'the sheet, wide'],
  ['E O', 'rough, onion skin'],
  ['J K L', 'on every card: take, the other, later'],
  ['Ctrl+Z', 'undo; with Shift redo'],
];
