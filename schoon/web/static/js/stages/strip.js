// The run of drawings side by side in the ledge.

import { fill, html } from '../dom.js';
import { left } from '../pure/order.js';

export function strip(app, look, { body, name } = app.stage) {
  body.style.setProperty('--ratio', `${app.data.shot.width} / ${app.data.shot.height}`);
  const old = new Map([...body.querySelectorAll('.frame-card')].map((card) => [Number(card.dataset.id), card]));
  body.replaceChildren(...app.data.run.map((entry) => {
    const card = old.get(entry.id) || document.createElement('button');
    card.className = 'frame-card';
    card.dataset.id = entry.id;
    const url = app.colours.viewUrl(entry, 300, look);
    const [words, ask] = left(entry, name);
    if (!card.firstChild) {
      fill(card, html`<img alt="Drawing" loading="lazy" fetchpriority="low"><span><b class="number"></b><i></i></span>`);
      card.addEventListener('click', (event) => (event.shiftKey ? app.chooseTo(entry.id) : app.go(entry.id, true)));
    }
    const image = card.querySelector('img');
    if (image.getAttribute('src') !== url) image.src = url;
    card.querySelector('b').textContent = entry.number;
    card.querySelector('i').textContent = words;
    card.querySelector('i').className = ask ? 'ask' : 'quiet';
    card.toggleAttribute('aria-current', entry.id === app.current.id);
    card.classList.toggle('chosen', app.chosen.has(entry.id));
    return card;
  }));
  body.querySelector('[aria-current]')?.scrollIntoView({ block: 'nearest', inline: 'nearest' });
}
