// Answers for the server while there is no signal: the page of a round and what it is built from. Records are none of its
// business: they lie in the browser's own database until the server has them.
// The server puts a line before this script: `const VERSION`, which changes with what is kept, and `const SHELL`, what that is.

const SHELF = `evarlo-${VERSION}`; // what pages are built from
const ROUNDS = "evarlo-rounds"; // rounds stay on this phone from one version to the next
const PAGES = "evarlo-pages"; // other pages show what one person may see: gone at log-out (light.js)

const ROUND = /^\/(trials\/[^/]+\/walk\/[0-9]+\/(field\.json)?|partner\/[a-z0-9]{16}\/)$/;
const PAGE = /^\/((trials\/[^/]+\/(walk|pick|coming|coming\/[0-9]+|stand)|seed\/tests\/[0-9]+)\/)?$/;

// The cache in which the answer for a path is kept; none for what needs a signal.
function cacheFor(path) {
  if (ROUND.test(path)) return ROUNDS;
  if (PAGE.test(path)) return PAGES;
  return path.startsWith("/static/") ? SHELF : null;
}

self.addEventListener("install", (event) => {
  event.waitUntil(
    caches
      .open(SHELF)
      .then((cache) => cache.addAll(SHELL))
      .then(() => self.skipWaiting()),
  );
});

// Whether a page on this phone is built from what another version had on its shelf.
async function stillBuiltFrom(shelf) {
  const paths = (await (await caches.open(shelf)).keys()).map((request) => new URL(request.url).pathname);
  const others = paths.filter((path) => !SHELL.includes(path));
  for (const name of [ROUNDS, PAGES]) {
    const pages = await caches.open(name);
    for (const request of await pages.keys()) {
      const text = await (await pages.match(request)).text();
      if (others.some((path) => text.includes(path))) return true;
    }
  }
  return false;
}

self.addEventListener("activate", (event) => {
  event.waitUntil(
    (async () => {
      for (const name of await caches.keys())
        if (![SHELF, ROUNDS, PAGES].includes(name) && !(await stillBuiltFrom(name))) await caches.delete(name);
      await self.clients.claim();
    })(),
  );
});

// A page may ask while this worker is being replaced: its own shelf is gone then, and the next one has what was on it.
const kept = async (request, name) => (await caches.match(request, { cacheName: name })) || caches.match(request);

async function keep(request, answer, name) {
  if (name !== SHELF || (await caches.has(SHELF))) await (await caches.open(name)).put(request, answer);
}

// A page from here says of when it is.
async function copyOf(answer) {
  const text = (await answer.text()).replace("<body ", `<body data-copy="${answer.headers.get("Date") || ""}" `);
  return new Response(text, { headers: answer.headers });
}

// What a page is built from never changes under its name: once here, it is not asked for again.
async function fromShelf(request) {
  const copy = await kept(request, SHELF);
  if (copy) return copy;
  const answer = await fetch(request);
  if (answer.ok) await keep(request, answer.clone(), SHELF);
  return answer;
}

// What the network says; after some seconds of waiting, or without a signal, what is kept. Where nothing is kept a slow answer is
// waited for.
async function fromNetwork(request, name) {
  const asked = fetch(request);
  const soon = new Promise((_, no) => setTimeout(no, 4000, new Error("slow")));
  let answer;
  try {
    answer = await Promise.race([asked, soon]);
  } catch {
    const copy = await kept(request, name);
    if (copy) {
      asked.catch(() => {}); // nobody waits for it any more
      return name === PAGES ? copyOf(copy) : copy;
    }
    answer = await asked;
  }
  if (answer.ok && !answer.redirected) await keep(request, answer.clone(), name);
  return answer;
}

self.addEventListener("fetch", (event) => {
  const url = new URL(event.request.url);
  if (event.request.method !== "GET" || url.origin !== self.location.origin) return;
  const name = cacheFor(url.pathname);
  if (name) event.respondWith(name === SHELF ? fromShelf(event.request) : fromNetwork(event.request, name));
});
