// A view of the Line ledge.

export class View {
  constructor(ledge) { this.ledge = ledge; this.app = ledge.app; this.body = ledge.body; }
}
