// One queue of edits a subject: a drawing, the time or the stack of a shot, a model, a level with all its drawings.
//
// Everything that is done goes through here, undo as well, one after the other, each based on what the one before made.
// The page shows what is confirmed and what waits (`waiting`). A change sent again after a lost answer goes by its token,
// so it is done once; what waits is kept in the browser's database, and another page takes it up.

import { Away, get, newToken, notice, send, sending } from '../api.js';
import * as kept from './kept.js';

// Subject, such as `drawings/7` -> what was done to it and is not answered: { what, op, level, … }, in order.
const queues = new Map();
// Subject -> the revision that the page shows, of subjects that are no drawings.
const heads = new Map();
// Subject -> how many of its edits were answered.
const answered = new Map();
const heard = [];

// Told whenever what waits for a subject has changed: { subject, level, step, answered, answer, left }, left: whether another
// page than this one had begun it; step: whether it is an undo or a redo.
export const onChange = (act) => heard.push(act);
function tell({ subject, level, step: stepped = false, left = false }, answered = false, answer = null) {
  for (const act of heard) act({ subject, level, step: stepped, answered, answer, left });
}

const none = [];
export const waiting = (subject) => queues.get(subject) ?? none;
export const waitingFor = (entry, level) => [...waiting(`drawings/${entry.id}`),
  ...waiting(`levels/${level}`).filter(({ op }) => !op?.of || op.of.includes(entry.id))];
export const count = () => [...queues.values()].reduce((sum, list) => sum + list.length, 0);

export const headOf = (subject) => heads.get(subject) ?? null;
export function takeHeads(id, found) {
  for (const [kind, revision] of Object.entries(found)) {
    if (!waiting(`${kind}/${id}`).length) heads.set(`${kind}/${id}`, revision);
  }
}

// How often a subject was answered so far: what was read before is older than that.
export const answers = (subject) => answered.get(subject) ?? 0;

// What has to have arrived before: everything of the same subject; a level waits for its drawings as they wait for it.
const ofMany = ({ subject, whole }) => Boolean(whole) || subject.startsWith('levels/');
function before(item) {
  const first = [...queues.values()].flat()
    .filter((other) => other.subject === item.subject || (item.level && other.level === item.level && (ofMany(item) || ofMany(other))));
  return Promise.all(first.map((other) => other.done.catch(() => {})));
}

function put(item) {
  if (!queues.has(item.subject)) queues.set(item.subject, []);
  const ready = before(item);
  queues.get(item.subject).push(item);
  item.done = ready.then(() => deliver(item));
  item.done.catch(() => {});
  sending.waiting += 1;
  tell(item);
  return item.done;
}

async function deliver(item) {
  const { subject, url, entry } = item;
  const number = item.number ?? null;
  let answer;
  try {
    const based = item.step ? 'seen' : 'base';
    let now = null;
    // A step of a drawing that is not on this page: nobody knows here what it stepped from.
    if (item.left && entry && !entry.revision) entry.revision = await revisionOf(subject);
    if (entry) now = entry.revision;
    else if (item.based) now = headOf(subject);
    const content = now === null ? item.content : { ...item.content, [based]: now };
    answer = await send(url, content, item.token, item.again);
    if (answer.again && entry) answer = { ...answer, revision: answer.revision ?? (await revisionOf(subject)), merged: true };
    settle(item, answer);
    return answer;
  } finally {
    sending.waiting -= 1;
    const list = queues.get(subject).filter((other) => other !== item);
    if (list.length) queues.set(subject, list); else queues.delete(subject);
    answered.set(subject, answers(subject) + 1);
    Promise.resolve(number).then(kept.forget);
    tell(item, true, answer ?? null);
  }
}

async function revisionOf(subject) {
  for (;;) {
    try { return (await get(`/api/${subject}`)).revision; } catch (error) {
      if (!(error instanceof Away)) throw error;
      await new Promise((go) => { setTimeout(go, 1500); });
    }
  }
}

// What is confirmed is now what the answer says.
function settle(item, answer) {
  const { entry, subject } = item;
  if (!entry) { if (answer.revision !== undefined) heads.set(subject, answer.revision); return; }
  const old = entry.revision;
  if (answer.revision !== undefined && !answer.moved) entry.revision = answer.revision;
  if (!answer.merged && !item.step) item.adopt?.(answer, old);
  if (answer.merged && !answer.again) notice('Somebody else changed this drawing too; both changes are kept');
}

// Whether something could not be kept in the browser's database. What waits is asked about as well while the server is away: it
// is kept, but only this browser has it.
let unkept = false;
window.addEventListener('beforeunload', (event) => { if ((unkept || sending.away) && count()) event.preventDefault(); });

function made(item) {
  const record = { subject: item.subject, url: item.url, content: item.content, token: item.token, what: item.what, level: item.level, step: item.step,
    whole: item.whole, based: item.based };
  item.number = kept.keep(record);
  item.number.then((n) => { unkept ||= n === null; });
  return put(item);
}

// An edit of a drawing of the run. adopt(answer, before): makes what the page holds of revision `before` that of the answer;
// not asked where somebody else's changes came with it, which are read anew.
export function edit(entry, what, fields, { level = entry.level, adopt } = {}) {
  const op = { do: what, ...fields };
  return made({ subject: `drawings/${entry.id}`, url: `/api/drawings/${entry.id}/do`, content: { do: op }, op, what, level, entry, adopt, token: newToken() });
}

// An edit of anything else: of 'levels', 'times', 'stacks' or 'models', by what it does and its fields.
export function change(subjects, id, what, fields) {
  const op = { do: what, ...fields };
  return made({ subject: `${subjects}/${id}`, url: `/api/${subjects}/${id}/do`, content: { do: op }, op, what,
    level: subjects === 'levels' ? id : undefined, token: newToken() });
}

// A change of many drawings of a level that has a route of its own.
export function changeRun(level, way, content) {
  return made({ subject: `levels/${level}`, url: `/api/levels/${level}/${way}`, content, op: content, what: way, level, token: newToken() });
}

// Undo or redo, behind what is still on its way. It says what it steps from, so that nothing is taken back that was not seen.
export function step(what, subjects, id, { entry, level } = {}) {
  return made({ subject: `${subjects}/${id}`, url: `/api/${subjects}/${id}/${what}`, content: {}, op: { do: what }, what, level, entry,
    whole: Boolean(entry), based: true, step: true, token: newToken() });
}

// Resolves when everything that was done to a level's drawings has arrived: what is computed from them is asked for then.
export function settled(level) {
  return Promise.all([...queues.values()].flat().filter((item) => !level || item.level === level || !item.level).map((item) => item.done.catch(() => {})));
}

// Takes up what a closed or crashed tab has left. byId: drawings of the run that is on the page.
let taken;
export function takeUp(byId = new Map()) {
  taken ??= kept.left().then((records) => {
    for (const record of records) {
      const [kind, id] = record.subject.split('/');
      const entry = kind === 'drawings' ? byId.get(Number(id)) ?? { id: Number(id), revision: 0 } : undefined;
      const op = record.step ? { do: record.what } : record.content.do ?? record.content;
      put({ ...record, number: record.n, op, entry, again: true, left: true })
        .catch((error) => notice(`${error.message}. It was done before this page was opened`, true, 9000));
    }
    if (records.length) notice(`${records.length} change${records.length === 1 ? '' : 's'} from before ${records.length === 1 ? 'is' : 'are'} sent now`);
    return records.length;
  });
  return taken;
}
