// What every stage has; a stage says what differs. The table, the switches and the keys ask nothing else of it.

import { fill, html } from '../dom.js';
import { shown } from '../keys.js';

function made(className, within) {
  const node = Object.assign(document.createElement('div'), { className, hidden: true });
  document.getElementById(within).append(node);
  return node;
}

export class Stage {
  constructor(app, name) {
    this.app = app;
    this.name = name;
    this.tools = [];
    // The tool that was in the hand when the stop was left.
    this.tool = null;
    // Its own part of the rail and of the slip beside it, the names of its views at the foot, and head and body of its ledge:
    // they stay as they are while another stop is lit.
    this.tray = made('tray-of', 'tray');
    this.slip = made('slip-of', 'slip');
    this.tabs = made('tabs-of', 'views');
    this.head = made('ledge-head', 'ledge');
    this.body = made('ledge-body', 'ledge');
    this.body.tabIndex = 0;
    // How drawings look in the wings and the run.
    this.look = 'line';
    // How patches are shown: 'pots', 'tints', or not at all.
    this.patches = null;
    this.showsBare = false;
    // How tones are shown over the paint: 'pots', 'grey', or not at all.
    if (!('tones' in this)) this.tones = null;
    this.showsDoubt = false;
    this.showsStitches = false;
    // Which switches the table has: rough and line, onion skin, the backdrop, parts of the model.
    this.sights = false;
    this.onion = true;
    this.coloured = true;
    this.parts = false;
    // What is played: 'rough', 'line', or 'best' for the furthest that each drawing has come.
    this.plays = 'best';
    // Whether levels that are only worked by, pictures and guides, play as well.
    this.playsAll = false;
    this.pen = 'Look';
    // What its keys do beside its tools: [key, words]; the first are told at the foot.
    this.hints = [];
    // What the pen points at while it hovers: (event, at) -> number of a patch.
    this.hover = null;
  }

  // What its keys do that no sign in sight says, in a line.
  get keys() { return this.hints.slice(0, this.toldHints ?? 2).map(([key, words]) => `${shown(key)} ${words}`).join(' · '); }

  // How the rough is shown: full, faint or off.
  rough(hasLine) { return hasLine ? 'off' : 'full'; }

  // The pass of the rough that the stage draws itself.
  without() { return ''; }

  // The strokes that are shown.
  ink(strokes) { return strokes; }

  // Ids of chosen strokes, and the chosen stitch.
  get picked() { return undefined; }

  get stitch() { return null; }

  // A change was undone or done again.
  stepped() {}

  // Shows the run in the ledge.
  ledge() {}

  // What the tools can be set to: labels with the tools that they are for (`data-of`), or for all.
  options() {}

  // The view of the ledge that is open.
  get inView() { return this.view; }

  // The views of the ledge by name, at the foot: [id, words], and what stands in its head.
  heads(views, selected, content) {
    const tabs = views.map(([id, words]) => html`<button role="tab" data-view="${id}" aria-selected="${id === selected}">${words}</button>`);
    fill(this.tabs, html`<div class="views" role="tablist" aria-label="Views of the run">${tabs}</div>`);
    for (const tab of this.tabs.querySelectorAll('[role="tab"]')) tab.addEventListener('click',
      () => { this.openView(tab.dataset.view); this.app.tell('ledge'); });
    fill(this.head, content);
    this.app.tell('ledge');
  }

  openView() {}

  // A key that is no tool's; true if it was used.
  key() { return false; }

  // How a drawing of the onion skin is laid over the one on the table, as SVG writes it; null for in place.
  matrixOver() { return null; }

  drawn() {}

  left() {}

  viewChanged() {}

  toolChanged() {}

  // The run was read anew.
  refreshed() {}

  // The stop is lit for the first time on this page.
  start() {}

  // It is lit again: what others have changed meanwhile is read.
  entered() { this.refreshed(); }

  // Another stop is lit: what it did to the whole page is taken back.
  unlit() {}

  get lit() { return this.app.stage === this; }

  // What is remembered of the stop over a reload, and brought back: the view of its ledge, its pot.
  kept() { return this.view === undefined ? {} : { view: this.view }; }

  keptBack({ view }) { if (view !== undefined && this.hasView?.(view) !== false) this.view = view; }

  // Does the next thing there is to do, as `pure/next.js` names it.
  next() {}

  // ---- what the dock asks: of a stage that paints, and of one that draws

  // pot -> patches that carry it, or null where pots are not counted; what the model says to them.
  counts() { return null; }

  remarks() { return []; }

  // What can be done to a pot in the dock, [id, words], and what does it.
  get potWays() { return []; }

  potWay() {}

  selectPot() {}

  choosePart() {}
}
