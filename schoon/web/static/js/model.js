// A colour changed here changes on every drawing that carries the pot.

import { notice, post } from './api.js';

for (const well of document.querySelectorAll('.well input')) {
  let before = well.value;
  well.addEventListener('change', async () => {
    try {
      await post(`/api/keys/${well.dataset.key}/colour`, { pot: Number(well.dataset.pot), colour: well.value });
      before = well.value;
      well.nextElementSibling.textContent = well.value;
    } catch (error) {
      well.value = before;
      notice(error.message, true);
    }
  });
}
