// What was done and is not answered, in the browser's database: a tab that is closed or crashes sends it when it comes back.

const NAME = 'schoon-edits';
const STORE = 'edits';
// Where nobody can tell which tabs are open, ms after which what another one left is taken up.
const LEFT = 30_000;

const asked = (request) => new Promise((go, stop) => { request.onsuccess = () => go(request.result); request.onerror = () => stop(request.error); });

function opened() {
  return new Promise((go) => {
    if (!window.indexedDB) { go(null); return; }
    const request = indexedDB.open(NAME, 1);
    request.onupgradeneeded = () => request.result.createObjectStore(STORE, { keyPath: 'n', autoIncrement: true });
    request.onsuccess = () => go(request.result);
    request.onerror = () => go(null);
    request.onblocked = () => go(null);
  });
}

let base;
const store = async (mode) => {
  base ??= opened();
  const found = await base;
  return found?.transaction(STORE, mode, { durability: 'relaxed' }).objectStore(STORE) ?? null;
};

// Each tab has a name for as long as it is open, also over a reload; a copy of a tab gets one of its own.
async function named() {
  const fresh = () => Array.from(crypto.getRandomValues(new Uint8Array(8)), (b) => b.toString(16).padStart(2, '0')).join('');
  let name = sessionStorage.schoonTab || fresh();
  if (navigator.locks) {
    const hold = (as) => new Promise((go) => {
      navigator.locks.request(`schoon-tab-${as}`, { ifAvailable: true }, (lock) => { go(Boolean(lock)); return lock ? new Promise(() => {}) : undefined; });
    });
    // The page before this one may still be about to let go of it.
    for (let tries = 0; !(await hold(name)); tries += 1) {
      if (tries < 10) await new Promise((go) => { setTimeout(go, 30); }); else name = fresh();
    }
  }
  sessionStorage.schoonTab = name;
  return name;
}

let tab;
export const mine = () => (tab ??= named());

// Keeps an edit; resolves to its number, or null where nothing can be kept.
export async function keep(record) {
  try {
    const [home, into] = [await mine(), await store('readwrite')];
    return into ? await asked(into.add({ ...record, home, at: Date.now() })) : null;
  } catch { return null; }
}

export async function forget(n) {
  if (n === null) return;
  try { const into = await store('readwrite'); if (into) await asked(into.delete(n)); } catch { /* It is sent again under its token, and done once. */ }
}

async function open() {
  const { held, pending } = await navigator.locks.query();
  return new Set([...held, ...pending].map((lock) => lock.name));
}

// What this tab, or one that is not there any more, has left, in order; from now on it is this tab's.
export async function left() {
  try {
    const [home, from] = [await mine(), await store('readonly')];
    if (!from) return [];
    const all = await asked(from.getAll());
    if (!all.length) return [];
    const tabs = navigator.locks ? await open() : null;
    const gone = (record) => (tabs ? !tabs.has(`schoon-tab-${record.home}`) : Date.now() - record.at > LEFT);
    const found = all.filter((record) => record.home === home || gone(record));
    const into = await store('readwrite');
    await Promise.all(found.map((record) => asked(into.put({ ...record, home }))));
    return found;
  } catch { return []; }
}
