// The run of line drawings, and cleaning it.

import { notice } from '../../api.js';
import { strip } from '../../stages/strip.js';
import { View } from './view.js';

export class RunView extends View {
  show() {
    const { app, ledge } = this;
    const { run } = app.data;
    // Empty sheets have nothing to be cleaned from.
    const roughs = run.filter((d) => !d.sheet);
    const bare = roughs.filter((d) => !d.strokes).map((d) => d.id);
    const some = app.chosen.size > 1;
    if (run.some((d) => d.strokes)) ledge.button('Weigh by rule', () => this.weigh(app.meant((d) => d.strokes).map((d) => d.id)), false, 'weigh-rule');
    if (!roughs.length) { strip(app, 'line', { body: this.body, name: 'line' }); return; }
    ledge.button('Clean this', () => ledge.clean([app.current.id]), false, 'clean-this');
    const rest = bare.length && bare.length < roughs.length;
    const label = some ? `Clean ${app.chosen.size} chosen` : rest ? `Clean ${bare.length} still rough` : `Clean all ${roughs.length}`;
    ledge.button(label, () => ledge.clean(some ? [...app.chosen] : bare.length ? bare : roughs.map((d) => d.id)), true, 'clean-all');
    strip(app, 'line', { body: this.body, name: 'line' });
  }

  async weigh(drawings) {
    const found = await this.app.touches.ask({ act: 'weigh', drawings }, `Lay the line rule on ${drawings.length} drawings`, this.ledge.named(drawings));
    const answer = found && await this.ledge.post('weigh', found);
    if (answer) notice(`The line rule is laid on ${answer.drawings.length} drawing${answer.drawings.length === 1 ? '' : 's'}; it can be undone as one`);
  }
}
