// The page of a shot: one drawing on the table, its neighbours under it, the run in sheet and ledge.

import { catchUp } from './early.js';
import { settled, takeUp } from './edits/queue.js';
import { Depth } from './shot/depth.js';
import { Dock } from './shot/dock.js';
import { KeyChanges } from './shot/key_changes.js';
import { First } from './shot/first.js';
import { Help } from './shot/help.js';
import { keysOf, wireKeys } from './shot/keyboard.js';
import { Next } from './shot/next.js';
import { Notes } from './shot/notes.js';
import { References } from './shot/references.js';
import { Sheet } from './shot/sheet.js';
import { Shot } from './shot/shot.js';
import { Sights } from './shot/sights.js';
import { wireSwitches } from './shot/switches.js';
import { Near } from './shot/near.js';
import { Wide } from './time/wide.js';

const $ = (id) => document.getElementById(id);
const data = JSON.parse($('data').textContent);
const first = Number(new URLSearchParams(window.location.hash.slice(1)).get('d'));

export const app = new Shot(data, first);

new Sheet(app);
new Wide(app);
new Near(app);
new Dock(app);
new KeyChanges(app);
app.depth = new Depth(app);
new Next(app);
new Notes(app);
app.references = new References(app);
new Sights(app);
wireSwitches(app);
app.help = new Help(app, keysOf);
wireKeys(app);
app.on('leave', () => app.stage.left());
app.on('run', () => {
  app.stage.ledge();
  for (const link of document.querySelectorAll('.track a')) link.href = app.stops.address(link.dataset.stage);
});
app.on('colours', () => app.stage.ledge());
app.on('drawn', () => app.stage.drawn());

// What a closed tab has left is shown as waiting from the start.
const left = await takeUp(app.byId);
catchUp($('key'));
if (app.current) app.remember.layBack(app.byId.has(first)); else app.table.view.fit();
app.tools.build();
if (app.current) {
  app.tell('run');
  // The page was read before what was left is done.
  if (left) settled().then(() => app.sync.refresh());
  app.table.draw();
  app.stops.begun.add(data.stage);
  app.stage.start();
  for (const id of data.jobs) app.jobs.watch({ id, kind: '', state: 'running', done: 0, total: 1 });
  new First(app);
} else {
  $('waiting').hidden = false;
  $('waiting').textContent = 'This shot has no drawings yet';
}
