// Keeps the run view at hand: where the server does not answer, the page and its parts come from the page's own store.
const STORE = "wemble-show-page";

self.addEventListener("install", () => self.skipWaiting());
self.addEventListener("activate", (event) => event.waitUntil(self.clients.claim()));

self.addEventListener("fetch", (event) => {
  const { request } = event;
  const url = new URL(request.url);
  const ofThePage = request.mode === "navigate" ? /^\/jobs\/[^/]+\/run$/.test(url.pathname) : /^\/(assets\/|icon\.svg)/.test(url.pathname);
  if (request.method !== "GET" || url.origin !== self.location.origin || !ofThePage) return;
  event.respondWith(
    fetch(request).catch(async () => (await (await caches.open(STORE)).match(request.mode === "navigate" ? url.pathname : request)) ?? Response.error()),
  );
});
