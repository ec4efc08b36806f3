// Seal: gap cards through the whole shot, and stitches by hand.

import { CARD } from '../keys.js';
import { notice } from '../api.js';
import { edit } from '../edits/queue.js';
import { GapCards } from '../seal/cards.js';
import { Specks } from '../seal/specks.js';
import { ChooseStitchTool, StitchTool, UnstitchTool } from '../seal/stitching.js';
import { Stage } from './stage.js';

export class SealStage extends Stage {
  constructor(app, name) {
    super(app, name);
    this.plays = 'line';
    this.patches = 'tints';
    this.showsStitches = true;
    this.hints = [[CARD.take, 'take'], [CARD.other, 'leave open'], [CARD.later, 'later'], [CARD.alike, 'as next door']];
    this.chosen = null;
    this.cards = new GapCards(app, this);
    this.specks = new Specks(app);
    this.tools = [new StitchTool(app), app.leak, new ChooseStitchTool(app, this), new UnstitchTool(app, this)];
  }

  get stitch() { return this.chosen; }

  ledge() { this.cards.show(); }

  refreshed() { this.cards.load(); }

  options(slip) { this.specks.build(slip); }

  drawn() { this.specks.show(); }

  key(key) {
    if (key === CARD.none && this.chosen) { this.remove(this.chosen); return true; }
    return this.cards.key(key);
  }

  start() { this.cards.load(); }

  // The first gap, its cards in sight.
  next() {
    if (this.app.room.state === 'folded') this.app.room.ledge('open');
    return this.cards.look();
  }

  async remove(stitch) {
    const { app } = this;
    const entry = app.current;
    this.chosen = null;
    try {
      await edit(entry, 'unstitch', { stitch });
      app.sync.changed(entry);
      app.table.draw();
      this.cards.load();
    } catch (error) { notice(error.message, true); }
  }
}
