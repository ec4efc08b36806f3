// Talking to the server: errors in words, and edits that wait in the browser while it is away.

let timer = 0;

export function notice(text, bad = false, stay = 4500) {
  const box = document.getElementById('notice');
  box.textContent = text;
  box.className = text ? (bad ? 'on bad' : 'on') : '';
  clearTimeout(timer);
  if (text) timer = setTimeout(() => { box.className = ''; }, stay);
}

export class Refused extends Error {}
export class Away extends Error {}

async function ask(url, options) {
  let response;
  try {
    response = await fetch(url, options);
  } catch {
    throw new Away('The server does not answer');
  }
  const type = response.headers.get('content-type') || '';
  const body = type.includes('json') ? await response.json() : {};
  if (response.status === 503 || response.status === 502) throw new Away(body.error || 'The server does not answer');
  if (!response.ok) throw new Refused(body.error || `The server answered with an error (${response.status})`);
  return body;
}

export const get = (url) => ask(url, { headers: { accept: 'application/json' } });

export const post = (url, content) => ask(url, {
  method: 'POST',
  headers: { 'content-type': 'application/json', accept: 'application/json' },
  body: JSON.stringify(content || {}),
});

export const upload = (url, form) => ask(url, { method: 'POST', headers: { accept: 'application/json' }, body: form });

// Edits of one drawing go one after the other, each based on the revision the one before made.
// While the server is away they are kept, in order, and sent when it is back.
const chains = new Map();
let waiting = 0;

export function edit(entry, what, content, onWaiting) {
  const before = chains.get(entry.id) || Promise.resolve();
  const run = before.catch(() => {}).then(async () => {
    for (let tries = 0; ; tries += 1) {
      try {
        const answer = await post(`/api/drawings/${entry.id}/${what}`, { base: entry.revision, ...content });
        if (tries) { waiting -= 1; notice('The server is back; your work has arrived'); }
        entry.revision = answer.revision;
        if (answer.merged) notice('Somebody else changed this drawing too; both changes are kept');
        return answer;
      } catch (error) {
        if (!(error instanceof Away)) { if (tries) waiting -= 1; throw error; }
        if (!tries) { waiting += 1; if (onWaiting) onWaiting(); }
        notice(`The server is away; ${waiting} change${waiting > 1 ? 's' : ''} wait here and will be sent`, true, 60000);
        await new Promise((go) => setTimeout(go, 1500));
      }
    }
  });
  chains.set(entry.id, run);
  return run;
}

window.addEventListener('beforeunload', (event) => { if (waiting) event.preventDefault(); });
