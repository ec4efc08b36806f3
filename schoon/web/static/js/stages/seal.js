// Seal: gap cards through the whole shot, and stitches by hand.

import { CARD } from '../keys.js';
import { notice } from '../api.js';
import { edit } from '../edits/queue.js';
import { GapCards } from '../seal/cards.js';
import { Specks } from '../seal/specks.js';
import { ChooseStitchTool, LeakTool, StitchTool } from '../seal/stitching.js';
import { Stage } from './stage.js';

export class SealStage extends Stage {
  constructor(app, name) {
    super(app, name);
    this.plays = 'line';
    this.patches = 'tints';
    this.showsStitches = true;
    this.keys = 'J take · K leave open · L later · T stitch · V trace a leak · C choose · X delete · hold 1 2 3 to flip · A D step';
    this.help = [['J K L', 'take the stitch, leave the gap open, decide later'], ['U', 'judge it as the same gap next door']];
    this.chosen = null;
    this.cards = new GapCards(app, this);
    this.specks = new Specks(app);
    this.leak = new LeakTool(app);
    this.tools = [new StitchTool(app), this.leak, new ChooseStitchTool(app, this), { id: 'delete', label: 'Delete', key: 'x', act: () => this.remove() }];
  }

  get stitch() { return this.chosen; }

  ledge() { this.cards.show(); }

  refreshed() { this.cards.load(); }

  extra(tray) { this.specks.build(tray); }

  drawn() { this.specks.show(); this.leak.show(); }

  key(event) {
    const key = event.key.toLowerCase();
    if (this.leak.found && (key === CARD.take || key === CARD.other)) { this.leak.keep(key === CARD.take); return true; }
    return this.cards.key(key);
  }

  // A leak that Paint has found comes with the address.
  async start() {
    const { app } = this;
    await this.cards.load();
    const asked = new URLSearchParams(window.location.search).get('leak')?.split(',').map(Number);
    if (asked?.length !== 4 || asked.some(Number.isNaN)) return;
    window.history.replaceState(null, '', `?level=${app.level}${window.location.hash}`);
    app.tools.use('leak');
    await this.leak.trace(asked.slice(0, 2), asked.slice(2));
  }

  async remove() {
    const { app, chosen } = this;
    if (!chosen) { notice('Choose a stitch first: C, then click it'); return; }
    const entry = app.current;
    this.chosen = null;
    try {
      await edit(entry, 'unstitch', { stitch: chosen });
      app.sync.changed(entry);
      app.table.draw();
      this.cards.load();
    } catch (error) { notice(error.message, true); }
  }
}
