// What the page of a shot holds: the run, the drawing on the table, what is chosen, and the parts that show it.
//
// Told to whoever asks (`on`):
//   run    what the sheet, the wings and the ledge show has changed: other drawings, marks, another one on the table
//   leave  the drawing on the table is about to change
//   drawn  a drawing lies on the table: entry, line, shapes
//   time   the exposures have changed
//   frame  another frame is looked at
//   stop   another stop is lit
//   lent   a tool of another stop came into the hand, or went
//   pots   the model has other pots
//   cards  how many cards wait at a stop has changed
//   colours  the colour key or a colour of it has changed

import { notice } from '../api.js';
import * as drawings from './drawings.js';
import { Events } from './events.js';
import { around, cycleOf, step } from '../pure/order.js';
import { Colours } from './colours.js';
import { History } from './history.js';
import { Jobs } from './jobs.js';
import { Levels } from './levels.js';
import { Looks } from './looks.js';
import { Onion } from './onion.js';
import { Parts } from './parts.js';
import { Placer } from '../time/placer.js';
import { Player } from './play.js';
import { Remember } from './remember.js';
import { Room } from './room.js';
import { Stops } from './stops.js';
import { LeakTool } from '../seal/stitching.js';
import { Span } from './span.js';
import { Sync } from './sync.js';
import { Table } from './table.js';
import { Tools } from './tools.js';
import { Touches } from './touches.js';

export class Shot extends Events {
  // data: as the page brings it. first: the drawing that is laid on the table.
  constructor(data, first) {
    super();
    this.data = data;
    for (const drawing of data.run) drawing.level = data.shot.level_id;
    this.byId = new Map(data.run.map((d) => [d.id, d]));
    this.current = this.byId.get(first) || data.run[0];
    this.chosen = new Set();
    this.closed = localStorage.closeCycles === 'yes';
    // The frame that is looked at: of several in which the drawing on the table stands, the one pointed at.
    this.frame = data.spans.find(([, , id]) => id === this.current?.id)?.[0] ?? 1;
    this.sync = new Sync(this);
    this.colours = new Colours(this);
    this.table = new Table(this);
    this.room = new Room(this);
    this.jobs = new Jobs(this);
    this.parts = new Parts(this);
    this.onion = new Onion(this);
    this.levels = new Levels(this);
    this.looks = new Looks(this);
    this.placer = new Placer(this);
    this.player = new Player(this);
    this.history = new History(this);
    this.tools = new Tools(this);
    this.span = new Span(this);
    this.touches = new Touches(this);
    // Where paint runs out, traced wherever it is asked.
    this.leak = new LeakTool(this);
    this.on('drawn', () => this.leak.show());
    this.remember = new Remember(this);
    this.stops = new Stops(this);
    this.stage = this.stops.begin(data.stage);
  }

  get level() { return this.data.shot.level_id; }

  // The cycle the drawing on the table is in, if cycles are closed: its last drawing then has its first one as neighbour.
  get cycle() {
    const { sheet, spans } = this.data;
    const ids = this.closed && cycleOf(sheet, spans, this.current.id);
    return ids ? ids.map((id) => this.byId.get(id)).filter(Boolean) : null;
  }

  // The drawing so many steps away, round the cycle where one is closed.
  away(by) {
    const { cycle } = this;
    if (!cycle) return this.data.run[this.data.run.indexOf(this.current) + by];
    const there = cycle[(((cycle.indexOf(this.current) + by) % cycle.length) + cycle.length) % cycle.length];
    return there === this.current ? undefined : there;
  }

  closeCycles(on) {
    this.closed = on;
    localStorage.closeCycles = on ? 'yes' : '';
    this.tell('run');
    this.onion.show();
  }

  neighbour(by, keysOnly = false) {
    if (this.cycle && !keysOnly) return this.away(by);
    return step(this.data.run, this.current, by, keysOnly ? (d) => d.kind === 'key' : undefined);
  }

  // The drawings that an act means: those chosen, or all that `also` lets through.
  meant(also = () => true) {
    return this.chosen.size > 1 ? this.data.run.filter((d) => this.chosen.has(d.id)) : this.data.run.filter(also);
  }

  async go(id, alone = false) {
    const entry = this.byId.get(id);
    if (!entry) return;
    if (this.player.on) this.player.stop();
    if (alone) this.chosen.clear();
    if (entry !== this.current) this.tell('leave', this.current);
    this.current = entry;
    const spans = this.data.spans.filter(([, , d]) => d === id);
    if (spans.length && !spans.some(([first, count]) => this.frame >= first && this.frame < first + count)) [[this.frame]] = spans;
    window.history.replaceState(null, '', `${window.location.search}#d=${id}`);
    this.tell('run');
    await this.table.draw();
  }

  // Looks at a frame: the drawing that stands there comes on the table.
  async seek(frame) {
    this.frame = frame;
    this.tell('frame');
    const id = this.data.spans.find(([first, count]) => frame >= first && frame < first + count)?.[2];
    if (id && id !== this.current.id) await this.go(id);
    else this.levels.show();
  }

  chooseTo(id) {
    const order = this.data.run.map((d) => d.id);
    const [a, b] = [order.indexOf(this.current.id), order.indexOf(id)].sort((x, y) => x - y);
    this.chosen = new Set(order.slice(a, b + 1));
    this.tell('run');
  }

  // Goes to the next drawing for which `wanted` holds, this one last. Resolves to it, or to null if there is none.
  async goToNext(wanted) {
    const found = around(this.data.run, this.current).find(wanted);
    if (!found) return null;
    await this.go(found.id);
    return found;
  }

  async nextUnsure() {
    const found = await this.goToNext((d) => d.unsure);
    if (!found) { notice('No patch is unsure'); return; }
    const shapes = drawings.paintNow(found);
    const patch = shapes?.patches.find((p) => shapes.paint[p.n]?.unsure);
    if (patch) this.table.lookAt(patch.at[0], patch.at[1], Math.max(1.2, this.table.view.zoom));
  }
}
