// Talking to the server: errors in words, and edits that wait in the browser while it is away.

let timer = 0;

// Where the guide explains what was refused: words of a refusal -> page and anchor. What the page itself refuses is
// explained where its stop is.
const explained = new Map();

function why(text) {
  const link = document.createElement('a');
  const stop = document.querySelector('.track [aria-current="page"]')?.dataset.stage;
  link.href = `/guide/${explained.get(text) ?? stop ?? 'trouble'}`;
  link.textContent = 'why?';
  return link;
}

export function notice(text, bad = false, stay = bad ? 8000 : 4500) {
  const box = document.getElementById('notice');
  box.replaceChildren(text, ...(text && bad ? [' ', why(text)] : []));
  box.className = text ? (bad ? 'on bad' : 'on') : '';
  clearTimeout(timer);
  if (text) timer = setTimeout(() => { box.className = ''; }, stay);
}

// Says what an answer refused, with the place that explains it. text: of the answer, as JSON.
export function refused(text) {
  let body = {};
  try { body = JSON.parse(text); } catch { /* no answer of ours */ }
  if (body.explained) explained.set(body.error, body.explained);
  notice(body.error ?? 'The server answered with an error', true);
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
  if (body.explained) explained.set(body.error, body.explained);
  if ([502, 503, 504, 507].includes(response.status)) throw new Away(body.error || 'The server does not answer');
  if (!response.ok) throw new Refused(body.error || `The server answered with an error (${response.status})`);
  return body;
}

export const get = (url) => ask(url, { headers: { accept: 'application/json' } });

export const upload = (url, form) => ask(url, { method: 'POST', headers: { accept: 'application/json' }, body: form });

// What a hand did is never thrown away: while the server is away it waits and is sent again, under the same token, so that
// it is done once even if only the answer was lost.
const AGAIN = 1500;
// How many changes are not answered; how many of them were sent in vain.
export const sending = { waiting: 0, away: 0 };

export const newToken = () => Array.from(crypto.getRandomValues(new Uint8Array(16)), (byte) => byte.toString(16).padStart(2, '0')).join('');

// again: it may have been sent before.
export async function send(url, content, token = newToken(), again = false) {
  const body = JSON.stringify(content || {});
  for (let tries = 0; ; tries += 1) {
    const headers = { 'content-type': 'application/json', accept: 'application/json', 'x-schoon-token': token };
    if (tries || again) headers['x-schoon-again'] = String(tries + 1);
    try {
      const answer = await ask(url, { method: 'POST', headers, body });
      if (tries) { sending.away -= 1; notice('The server is back; your work has arrived'); }
      return answer;
    } catch (error) {
      if (!(error instanceof Away)) { if (tries) sending.away -= 1; throw error; }
      if (!tries) sending.away += 1;
      notice(`${error.message}. ${sending.waiting > 1 ? `${sending.waiting} changes wait` : '1 change waits'} here and will be sent`, true, 60000);
      await new Promise((go) => { setTimeout(go, AGAIN); });
    }
  }
}

// A request that waits while the server is away, for as long as the page is open; edits go through `edits/queue.js`.
export async function post(url, content) {
  sending.waiting += 1;
  try { return await send(url, content); } finally { sending.waiting -= 1; }
}
