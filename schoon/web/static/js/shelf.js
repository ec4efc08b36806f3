// On the shelf a shot plays while the pointer rests on its strip.

for (const strip of document.querySelectorAll('.strip')) {
  let timer = 0;
  let screen = null;
  const images = [...strip.querySelectorAll('img')];
  const start = () => {
    if (images.length < 2 || screen) return;
    screen = new Image();
    screen.className = 'playing';
    screen.alt = '';
    strip.append(screen);
    let k = 0;
    const show = () => { screen.src = images[k % images.length].src; k += 1; };
    show();
    // The strip leaves drawings out, so it plays at an even, readable pace rather than the shot's own.
    timer = setInterval(show, 140);
  };
  const stop = () => { clearInterval(timer); screen?.remove(); screen = null; };
  strip.addEventListener('pointerenter', start);
  strip.addEventListener('pointerleave', stop);
  strip.addEventListener('focus', start);
  strip.addEventListener('blur', stop);
}
