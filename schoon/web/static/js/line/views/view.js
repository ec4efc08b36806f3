// A view of the Line ledge.

export class View {
  constructor(ledge) { this.ledge = ledge; this.app = ledge.app; this.body = ledge.body; }

  // Comes up with the tool that belongs to it, out of a folded ledge too.
  open() {
    const { app, ledge } = this;
    if (app.room.state === 'folded') app.room.ledge('open');
    if (ledge.views[ledge.view] !== this) ledge.use(Object.keys(ledge.views).find((id) => ledge.views[id] === this));
  }
}
