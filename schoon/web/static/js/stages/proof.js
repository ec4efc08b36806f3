// Proof: what is wrong is looked for; a person mends it, or waves it through.

import { fill, html } from '../dom.js';
import { make } from '../shot/paper.js';
import { Axis } from '../proof/axis.js';
import { Cards } from '../proof/cards.js';
import { Contact } from '../proof/contact.js';
import { Stage } from './stage.js';

const VIEWS = { cards: 'Findings', contact: 'Contact sheet' };

// A ring round the place of the finding in hand.
class Ring {
  constructor(app, cards) { Object.assign(this, { app, cards }); }

  show() {
    const { paper: { layers }, view: { zoom } } = this.app.table;
    layers['pen-layer'].replaceChildren();
    const { now } = this.cards;
    if (!now?.at || now.drawings[0] !== this.app.current.id) return;
    make('circle', { cx: now.at[0], cy: now.at[1], r: 26 / zoom, class: 'found' }, layers['pen-layer']);
  }
}

export class ProofStage extends Stage {
  constructor(app, name) {
    super(app, name);
    this.look = 'paint';
    this.patches = 'pots';
    this.tones = 'pots';
    this.hints = [['j', 'mend'], ['x', 'wave through, with the reason that is chosen'], ['l', 'later'], ['enter', 'go there'], ['shift+z', 'another look']];
    this.pen = 'Look';
    this.cards = new Cards(app, this);
    this.axis = new Axis(app, this.cards);
    this.ring = new Ring(app, this.cards);
    this.contact = new Contact(app, this);
    this.view = 'cards';
  }

  // The table shows what is handed off.
  get composed() { return Boolean(this.app.levels.mine?.finish.length); }

  start() { this.cards.load(); }

  hasView(view) { return view in VIEWS; }

  refreshed() { this.cards.soon(); }

  drawn() { this.ring.show(); }

  viewChanged() { if (this.app.current) this.ring.show(); }

  ledge() {
    const { cards, head } = this;
    const left = cards.list.length;
    const place = left && this.view === 'cards' ? `${cards.at + 1} of ${left}` : '';
    const words = cards.looking ? 'looking …' : place;
    this.heads(Object.entries(VIEWS), this.view,
      html`<span class="quiet" id="proof-left">${words}</span><span class="push"></span><span class="acts-here"></span>`);
    this[this.view].show(head.querySelector('.acts-here'));
    this.app.tell('cards');
  }

  openView(view) { this.use(view); }

  use(view) {
    this.view = view;
    this.body.replaceChildren();
    this.ledge();
  }

  get findings() { return this.cards.list.filter((f) => !f.waved).length; }

  next() {
    if (this.app.room.state === 'folded') this.app.room.ledge('open');
    return this.cards.go();
  }

  key(key) {
    if (key === 'enter') this.cards.go(); else return this.cards.key(key);
    return true;
  }
}
