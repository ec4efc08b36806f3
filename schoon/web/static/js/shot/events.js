// What happens in a shot, told to whoever asked for it: the parts of the page know the shot, not each other.

export class Events {
  constructor() { this.heard = new Map(); }

  on(what, act) {
    if (!this.heard.has(what)) this.heard.set(what, []);
    this.heard.get(what).push(act);
    return this;
  }

  tell(what, ...more) { for (const act of this.heard.get(what) || []) act(...more); }
}
