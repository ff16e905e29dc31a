// Keeps the application's own files, so that a screen opens again without the network. What the server says of people is never kept here.
const name = 'files';
const page = '/';

self.addEventListener('install', () => self.skipWaiting());
self.addEventListener('activate', (event) => event.waitUntil(self.clients.claim()));

// The files of the page that is open; those of earlier builds go.
self.addEventListener('message', (event) =>
  event.waitUntil(
    (async () => {
      const cache = await caches.open(name);
      const have = (await cache.keys()).map((request) => new URL(request.url).pathname);
      await Promise.all(have.filter((path) => !event.data.includes(path)).map((path) => cache.delete(path)));
      await cache.addAll(event.data.filter((path) => path === page || !have.includes(path)));
    })(),
  ),
);

self.addEventListener('fetch', (event) => {
  const { request } = event;
  const { origin, pathname } = new URL(request.url);
  if (request.method !== 'GET' || origin !== self.location.origin) return;
  if (pathname.startsWith('/assets/')) event.respondWith(caches.match(pathname).then((kept) => kept ?? fetch(request)));
  else if (request.mode === 'navigate' && !pathname.startsWith('/api/'))
    event.respondWith(fetch(request).catch(async () => (await caches.match(page)) ?? Response.error()));
});
