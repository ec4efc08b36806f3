// Whose browser this is: a name, asked once, that stands beside what is done in the history.

const form = document.getElementById('who-box');
const button = document.getElementById('who');
const YEAR = 365 * 24 * 3600;

const now = () => decodeURIComponent(document.cookie.split('; ').find((c) => c.startsWith('schoon-name='))?.slice(12) ?? '');

function show() {
  button.textContent = now() || 'Your name';
  button.title = now() ? `What is done here stands in the history as done by ${now()}; press to change it` : 'Stands beside what you do in the history';
}

function open(on) {
  form.hidden = !on;
  button.setAttribute('aria-expanded', String(on));
  form.elements.name.value = now();
}

if (button && form) {
  button.addEventListener('click', () => { open(form.hidden); if (!form.hidden) form.elements.name.focus(); });
  form.addEventListener('keydown', (event) => { event.stopPropagation(); if (event.key === 'Escape') { open(false); button.focus(); } });
  form.addEventListener('submit', (event) => {
    event.preventDefault();
    const name = form.elements.name.value.trim().replace(/\s+/g, ' ').slice(0, 60);
    document.cookie = `schoon-name=${encodeURIComponent(name)}; path=/; max-age=${name ? YEAR : 0}; samesite=lax`;
    localStorage.schoonAsked = '1';
    open(false);
    show();
  });
  form.querySelector('[type="button"]').addEventListener('click', () => { localStorage.schoonAsked = '1'; open(false); });
  show();
  // Asked once, on the shelf, where it stands above everything and covers nothing.
  if (document.body.classList.contains('on-shelf') && !now() && !localStorage.schoonAsked) open(true);
}
