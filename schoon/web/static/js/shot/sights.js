// The sights: four words, each a small box that stays where it was left until another one, or the paper, is wanted.

const $ = (id) => document.getElementById(id);

export class Sights {
  constructor(app) {
    this.app = app;
    this.words = [...document.querySelectorAll('[data-sights]')];
    for (const word of this.words) word.addEventListener('click', () => this.open(word.getAttribute('aria-expanded') === 'true' ? null : word.dataset.sights));
    // What opens a box of its own takes the place of this one.
    for (const id of ['see-looks', 'see-levels', 'see-beside', 'see-framing']) $(id).addEventListener('click', () => this.open(null));
    $('surface').addEventListener('pointerdown', () => this.open(null));
    for (const box of document.querySelectorAll('.sights-box')) {
      box.addEventListener('keydown', (event) => {
        if (event.key !== 'Escape') return;
        event.stopPropagation();
        const word = this.words.find((one) => one.getAttribute('aria-expanded') === 'true');
        this.open(null);
        word?.focus();
      });
    }
    $('play-how').addEventListener('click', () => {
      this.open(null);
      for (const other of [app.levels, app.looks, app.references]) other.open(false);
    });
    this.grey(localStorage.roomGrey ?? '');
    $('room-grey').addEventListener('change', ({ target }) => this.grey(target.value));
    $('see-straight').addEventListener('click', () => app.table.view.straighten());
    $('test-colours').addEventListener('click', () => app.stops.of('paint').turnTest());
  }

  open(which) {
    const { levels, looks, references } = this.app;
    // One box at a time.
    if (which) for (const other of [levels, looks, references]) other.open(false);
    if (which && !$('play-box').hidden) $('play-how').click();
    for (const word of this.words) {
      const on = word.dataset.sights === which;
      word.setAttribute('aria-expanded', String(on));
      $(`sights-${word.dataset.sights}`).hidden = !on;
    }
  }

  // The grey round the paper, neutral in every theme.
  grey(which) {
    document.body.dataset.grey = which;
    $('room-grey').value = which;
    localStorage.roomGrey = which;
  }
}
