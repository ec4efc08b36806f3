// Line: clean proposals for the run, the hand's tools, and lines through the run.

import { fill, html } from '../dom.js';
import { notice } from '../api.js';
import { lineNow } from '../shot/drawings.js';
import { ChosenBar } from '../line/bar.js';
import { Chosen } from '../line/chosen.js';
import { BendTool, ChooseTool } from '../line/choose.js';
import { LineLedge } from '../line/ledge.js';
import { LayOver } from '../line/lay_over.js';
import { RedrawTool, TraceTool } from '../line/pen.js';
import { Lacks } from '../line/lacks.js';
import { PlotTool } from '../line/plot.js';
import { PointsTool } from '../line/points.js';
import { MARKS, SayTool } from '../line/say.js';
import { TidyTool } from '../line/tidy.js';
import { TouchTool, WeighTool } from '../line/touch.js';
import { rubDrag } from '../shot/rub.js';
import { around } from '../pure/order.js';
import { Stage } from './stage.js';

const doubtful = (entry) => (lineNow(entry)?.strokes || []).filter((s) => s.doubtful);

export class LineStage extends Stage {
  constructor(app, name) {
    super(app, name);
    this.see = 'both';
    this.sights = true;
    this.parts = true;
    this.coloured = false;
    this.showsDoubt = true;
    this.plays = 'line';
    this.playsAll = true;
    this.hints = [
      ['n', 'next line in doubt'], ['y', 'pass on as they are'], ['shift+y', 'fit to rough'], ['j', 'accept the chosen'], ['x', 'delete the chosen'],
        ['shift+j', 'join'], ['shift+m', 'mirror'], ['shift+u', 'smooth'],
      [',', 'lighter'], ['.', 'heavier'], ['shift+e', 'taper'], ['shift+c', 'copy'], ['escape', 'choose nothing'],
    ];
    this.toldHints = 1;
    // How the hand draws: smoothing in px, reach of ends and of a bend in px of the screen, how strongly a stroke settles
    // on the rough (0 to 1), the part it draws on.
    this.hand = { steady: 2, snap: 12, reach: 60, settle: 0, part: '', even: false, rubs: 14 };
    this.chosen = new Chosen(app, () => { this.bar.show(); if (this.lines.view === 'pass') this.lines.show(); });
    this.bar = new ChosenBar(app, this.chosen, this.hand);
    this.lines = new LineLedge(app, this, this.chosen);
    this.layOver = new LayOver(app);
    this.lacks = new Lacks(app);
    this.say = new SayTool(app, () => this.lines.said());
    this.tidy = new TidyTool(app, () => this.lines.reading);
    const points = new PointsTool(app);
    this.tools = [
      new TraceTool(app, this.hand, points), new PlotTool(app, this.hand), new RedrawTool(app, this.hand),
      new ChooseTool(app, this.chosen), new BendTool(app, this.chosen, this.hand), points,
      new TouchTool(app, { id: 'trim', pen: 'Trim: click the stretch to take away, up to the next crossings',
        miss: 'Click the stretch of a line that should go' }),
      new TouchTool(app, { id: 'cut', pen: 'Cut: click where a line is to be two', miss: 'Click a line where it should be cut' }),
      new WeighTool(app), this.rubTool(), this.say, this.tidy, this.layOver.tool(), this.lines.views.between.arcs.tool(), this.lines.views.hold.tool(),
        this.lines.views.prop.tool(), this.lines.views.sheet.tool(),
    ];
  }

  rough(hasLine) {
    if (!hasLine || this.see === 'rough') return 'full';
    return this.see === 'both' ? 'faint' : 'off';
  }

  ink(strokes) { return this.see === 'rough' ? [] : strokes.filter((s) => this.app.parts.seen(s.part)); }

  rubTool() {
    return {
      id: 'rub', pen: 'Rub out: ink along the pen goes, in all chosen drawings',
      down: (event, at) => {
        if (!lineNow(this.app.current)) { notice('The drawing is still being read; wait a moment'); return null; }
        return rubDrag(this.app, at, this.hand.rubs, { do: 'rub-ink', locked: this.app.parts.notOpen() });
      },
    };
  }

  get picked() { return this.chosen.ids; }

  kept() {
    // The part that is drawn on is chosen anew: nothing in sight would say which it is.
    const { part, ...hand } = this.hand;
    return { view: this.lines.view, see: this.see, hand };
  }

  keptBack({ view, see, hand }) {
    if (this.lines.has(view)) this.lines.view = view;
    if (['both', 'line', 'rough'].includes(see)) this.see = see;
    for (const [name, value] of Object.entries(hand ?? {})) if (typeof this.hand[name] === typeof value) this.hand[name] = value;
  }

  next(act) {
    const { app } = this;
    if (act === 'clean') this.lines.clean(app.data.run.filter((d) => !d.strokes && !d.sheet).map((d) => d.id));
    else if (act === 'empty') app.goToNext((d) => !d.strokes);
    else this.nextDoubt();
  }

  laid() { return this.layOver.laid(); }

  matrixOver(entry) { return this.layOver.matrixFor(entry); }

  choosePart(part) {
    const { app } = this;
    const closed = app.parts.closed(part);
    if (closed) {
      notice(`${part || 'Lines of no part'}: ${closed}; ${closed === 'locked' ? 'unlock' : 'show'} it to choose its lines`, true);
      return;
    }
    const strokes = (lineNow(app.current)?.strokes || []).filter((s) => s.part === part);
    app.tools.use('choose');
    this.chosen.set(strokes.map((s) => s.id));
    this.hand.part = part;
    if (!strokes.length) notice(`There is no line of ${part || 'no part'} in this drawing`);
  }

  async nextDoubt() {
    const { app, chosen } = this;
    const here = doubtful(app.current);
    let stroke = here[here.findIndex((s) => chosen.ids.has(s.id)) + 1];
    if (!stroke) {
      const found = around(app.data.run, app.current).find((d) => d.doubtful && (d !== app.current || !here.length));
      if (found && found !== app.current) await app.go(found.id);
      [stroke] = doubtful(app.current);
      if (!stroke) { notice('No line is in doubt'); return; }
    }
    app.tools.use('choose');
    chosen.set([stroke.id]);
    const middle = 2 * Math.floor(stroke.points.length / 4);
    app.table.lookAt(stroke.points[middle], stroke.points[middle + 1], Math.max(1.2, app.table.view.zoom));
  }

  options(slip) {
    const slider = (words, min, max, step, name, ...of) => {
      const label = document.createElement('label');
      label.dataset.of = of.join(' ');
      fill(label, html`<span>${words}</span><input type="range" min="${min}" max="${max}" step="${step}" value="${this.hand[name]}" aria-label="${words}">`);
      label.querySelector('input').addEventListener('input', (event) => { this.hand[name] = Number(event.target.value); });
      slip.append(label);
    };
    slider('steady hand', 0, 8, 0.5, 'steady', 'trace', 'redraw');
    slider('ends snap within', 0, 40, 2, 'snap', 'trace');
    slider('settle on the rough', 0, 1, 0.25, 'settle', 'trace', 'redraw');
    const even = document.createElement('label');
    even.dataset.of = 'trace redraw';
    fill(even, html`<span><input type="checkbox" ${this.hand.even ? 'checked' : ''} autocomplete="off"> even, without pressure</span>`);
    even.querySelector('input').addEventListener('change', ({ target }) => { this.hand.even = target.checked; });
    slip.append(even);
    const shown = document.createElement('label');
    shown.dataset.of = 'trace plot redraw choose bend points';
    fill(shown, html`<span>lines shown in <input type="color" value="${localStorage.linesShown || '#1d2b3a'}"
      aria-label="Colour in which lines are shown here" autocomplete="off"></span>`);
    const showIn = (colour) => document.getElementById('paper').style.setProperty('--key-ink', colour);
    if (localStorage.linesShown) showIn(localStorage.linesShown);
    shown.querySelector('input').addEventListener('change', ({ target }) => { localStorage.linesShown = target.value; showIn(target.value); });
    slip.append(shown);
    slider('bend reach', 10, 200, 5, 'reach', 'bend');
    slider('rubs this far', 2, 120, 1, 'rubs', 'rub');
    const kinds = document.createElement('label');
    kinds.dataset.of = 'say';
    fill(kinds, html`<span>these marks are</span><select
      id="say-kind">${Object.entries(MARKS).map(([kind, words]) => html`<option value="${kind}">${words}</option>`)}</select>`);
    kinds.querySelector('select').addEventListener('change', (event) => this.say.use(event.target.value));
    slip.append(kinds);
  }

  key(key) {
    const { app, bar } = this;
    if (this.tidy.press(key)) return true;
    if (key === 'delete' || key === 'backspace') {
      if (app.tools.now?.remove) app.tools.now.remove(); else bar.remove();
    } else if (key === 'enter' && app.tools.now?.finish) app.tools.now.finish();
    else if (key === 'escape') { if (!app.tools.now?.drop?.()) this.chosen.clear(); }
    else if (key === 'n') this.nextDoubt();
    else return bar.key(key) || this.lines.key(key);
    return true;
  }

  drawn() {
    this.chosen.keepReal();
    this.chosen.show();
    this.app.tools.now?.redrawn?.();
    this.app.parts.show();
    this.layOver.show();
    this.lacks.show();
  }

  toolChanged() { this.chosen.frame(); }

  get inView() { return this.lines.inView; }

  openView(view) { this.lines.use(view); }

  viewChanged() { this.chosen.frame(); this.app.tools.now?.redrawn?.(); }

  left() { this.tidy.drop(); this.chosen.clear(); this.lines.dropGhost(); }

  ledge() { this.lines.show(); }
}
