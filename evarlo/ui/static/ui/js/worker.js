// Answers for the server while there is no signal: the page of a round and what it is built from. Records are none of its
// business: they lie in the browser's own database until the server has them.
// The server puts a line before this script: `const VERSION`, which changes with what is kept, and `const SHELL`, what that is.

const CACHE = `evarlo-${VERSION}`;
const FIELD = /^\/trials\/[^/]+\/walk\/[0-9]+\/(field\.json)?$/;
const PAGES = /^\/(trials\/[^/]+\/(pick|coming|coming\/[0-9]+|stand)|seed\/tests\/[0-9]+)\/$/; // gone at log-out: light.js

const taken = (path) => FIELD.test(path) || PAGES.test(path);

self.addEventListener("install", (event) => {
  event.waitUntil(
    caches
      .open(CACHE)
      .then((cache) => cache.addAll(SHELL))
      .then(() => self.skipWaiting()),
  );
});

// A new version takes the pages of rounds over from the one before, so that none is stranded in the field.
self.addEventListener("activate", (event) => {
  event.waitUntil(
    (async () => {
      const now = await caches.open(CACHE);
      for (const name of await caches.keys()) {
        if (name === CACHE) continue;
        const before = await caches.open(name);
        for (const request of await before.keys()) {
          if (taken(new URL(request.url).pathname) && !(await now.match(request)))
            await now.put(request, await before.match(request));
        }
        await caches.delete(name);
      }
      await self.clients.claim();
    })(),
  );
});

// A page may ask while this worker is being replaced: its own cache is gone then, and the next one has what was in it.
const kept = async (request) => (await caches.match(request, { cacheName: CACHE })) || caches.match(request);

async function keep(request, answer) {
  if (await caches.has(CACHE)) await (await caches.open(CACHE)).put(request, answer);
}

// A page from here says of when it is.
async function copyOf(answer) {
  const text = (await answer.text()).replace("<body ", `<body data-copy="${answer.headers.get("Date") || ""}" `);
  return new Response(text, { headers: answer.headers });
}

// What the network says; after some seconds of waiting, or without a signal, what is kept. Where nothing is kept a slow answer is
// waited for.
async function fromNetwork(request, seconds) {
  const asked = fetch(request);
  const soon = new Promise((_, no) => setTimeout(no, seconds * 1000, new Error("slow")));
  let answer;
  try {
    answer = await Promise.race([asked, soon]);
  } catch {
    const copy = await kept(request);
    if (copy) {
      asked.catch(() => {}); // nobody waits for it any more
      return PAGES.test(new URL(request.url).pathname) ? copyOf(copy) : copy;
    }
    answer = await asked;
  }
  if (answer.ok && !answer.redirected) await keep(request, answer.clone());
  return answer;
}

self.addEventListener("fetch", (event) => {
  const url = new URL(event.request.url);
  if (event.request.method !== "GET" || url.origin !== self.location.origin) return;
  if (taken(url.pathname)) event.respondWith(fromNetwork(event.request, 4));
  else if (SHELL.includes(url.pathname)) event.respondWith(fromNetwork(event.request, 2));
});
