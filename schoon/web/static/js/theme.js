// Light, dark, or as the system says, before anything is seen; kept in this browser.

(() => {
  const system = window.matchMedia('(prefers-color-scheme: dark)');
  const wish = () => localStorage.theme ?? 'system';
  const show = () => {
    const dark = wish() === 'dark' || (wish() === 'system' && system.matches);
    document.documentElement.dataset.theme = dark ? 'dark' : 'light';
    for (const select of document.querySelectorAll('[data-wish="theme"]')) select.value = wish();
  };
  show();
  system.addEventListener('change', show);
  document.addEventListener('DOMContentLoaded', show);
  document.addEventListener('change', ({ target }) => {
    if (target.dataset?.wish !== 'theme') return;
    localStorage.theme = target.value;
    show();
  });
})();
