// Keeps the page and all that belongs to it, and answers from there.
// The build puts their names here.
const files = ["built files"];
const name = `page ${files.length} ${files.join().length} ${files.join()}`.slice(0, 400);

self.addEventListener("install", (event) => {
  event.waitUntil(
    caches
      .open(name)
      .then((cache) => cache.addAll(files))
      .then(() => self.skipWaiting()),
  );
});

self.addEventListener("activate", (event) => {
  const clear = async () => {
    for (const key of await caches.keys()) if (key !== name) await caches.delete(key);
    await self.clients.claim();
  };
  event.waitUntil(clear());
});

self.addEventListener("fetch", (event) => {
  if (event.request.method !== "GET" || new URL(event.request.url).origin !== self.location.origin) return;
  event.respondWith(
    caches.match(event.request, { ignoreSearch: true, ignoreVary: true }).then((kept) => kept ?? fetch(event.request)),
  );
});
