// The switches round the table: what is seen, the room, undo, play.

const $ = (id) => document.getElementById(id);
const SIGHTS = { both: ['line', 'Rough and line '], line: ['rough', 'Line only '], rough: ['both', 'Rough only '] };

// Turns a button on and off; what is on is remembered while the window lives if it has a name.
function toggle(id, act, name = '') {
  const turn = (on) => {
    $(id).setAttribute('aria-pressed', String(on));
    if (name) sessionStorage[name] = on ? '1' : '';
    act(on);
  };
  $(id).addEventListener('click', () => turn($(id).getAttribute('aria-pressed') !== 'true'));
  if (name && sessionStorage[name] && !$(id).hidden) turn(true);
}

export function wireSwitches(app) {
  const lit = () => {
    const { stage } = app;
    $('see-rough').hidden = !stage.sights;
    if (stage.sights) $('see-rough').firstChild.textContent = SIGHTS[stage.see][1];
    $('see-onion').hidden = !stage.onion;
    $('see-backdrop').hidden = !app.data.key || !stage.coloured;
    $('test-colours').hidden = stage.name !== 'paint';
    $('parts-box').hidden = !stage.parts;
  };
  app.on('stop', lit);
  lit();
  $('see-rough').addEventListener('click', () => {
    const { stage } = app;
    if (!stage.sights) return;
    [stage.see] = SIGHTS[stage.see];
    $('see-rough').firstChild.textContent = SIGHTS[stage.see][1];
    app.table.draw();
  });
  toggle('see-onion', (on) => { app.onion.on = on; app.onion.show(); });
  toggle('see-backdrop', (on) => document.body.classList.toggle('on-backdrop', on), 'backdrop');
  $('see-all').addEventListener('click', () => app.table.view.fit());
  $('play').addEventListener('click', () => app.player.toggle());
  $('see-frame').addEventListener('click', () => app.player.still());
}
