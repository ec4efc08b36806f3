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
  if ([502, 503, 504, 507].includes(response.status)) throw new Away(body.error || 'The server does not answer');
  if (!response.ok) throw new Refused(body.error || `The server answered with an error (${response.status})`);
  return body;
}

export const get = (url) => ask(url, { headers: { accept: 'application/json' } });

export const upload = (url, form) => ask(url, { method: 'POST', headers: { accept: 'application/json' }, body: form });

// What a hand did is never thrown away: while the server is away it waits here and is sent again, under the same
// token, so that it is done once even if only the answer was lost.
const AGAIN = 1500;
let waiting = 0;
let away = 0;

const newToken = () => Array.from(crypto.getRandomValues(new Uint8Array(16)), (byte) => byte.toString(16).padStart(2, '0')).join('');

async function send(url, content) {
  const token = newToken();
  const body = JSON.stringify(content || {});
  for (let tries = 0; ; tries += 1) {
    const headers = { 'content-type': 'application/json', accept: 'application/json', 'x-schoon-token': token };
    if (tries) headers['x-schoon-again'] = String(tries);
    try {
      const answer = await ask(url, { method: 'POST', headers, body });
      if (tries) { away -= 1; notice('The server is back; your work has arrived'); }
      return answer;
    } catch (error) {
      if (!(error instanceof Away)) { if (tries) away -= 1; throw error; }
      if (!tries) away += 1;
      notice(`${error.message}. ${waiting > 1 ? `${waiting} changes wait` : '1 change waits'} here and will be sent`, true, 60000);
      await new Promise((go) => { setTimeout(go, AGAIN); });
    }
  }
}

// Whatever was done and not answered yet counts as waiting, also what stands in line behind it.
async function counted(act) {
  waiting += 1;
  try { return await act(); } finally { waiting -= 1; }
}

export const post = (url, content) => counted(() => send(url, content));

// How many edits of drawings were answered: what was asked before one and comes after it is out of date.
let answered = 0;
export const edits = () => answered;

// Edits of one drawing go one after the other, each based on the revision the one before made.
const chains = new Map();

// An edit of anything else: of 'levels', 'times', 'stacks' or 'models', by what it does and its fields.
export const change = (subjects, id, what, fields) => post(`/api/${subjects}/${id}/do`, { do: { do: what, ...fields } });

export function edit(entry, what, fields) {
  const before = chains.get(entry.id) || Promise.resolve();
  const run = counted(() => before.catch(() => {}).then(async () => {
    const url = `/api/drawings/${entry.id}`;
    const answer = await send(`${url}/do`, { base: entry.revision, do: { do: what, ...fields } });
    // Done before its answer was lost: what came of it is in the drawing, which is read anew.
    if (answer.again) return { ...answer, revision: entry.revision = (await get(url)).revision, merged: true };
    entry.revision = answer.revision;
    answered += 1;
    if (answer.merged) notice('Somebody else changed this drawing too; both changes are kept');
    return answer;
  }));
  chains.set(entry.id, run);
  return run;
}

window.addEventListener('beforeunload', (event) => { if (away) event.preventDefault(); });
