/* global self, caches, fetch, URL, Response */
// Keeps the page itself for where there is no network: its one document and its built files, never an answer of the API.
// What the page then shows is a chart that it kept by itself, and says from when (src/bedside).
const SHELL = "oakbeam-shell";
const PAGE = "/bedside";

self.addEventListener("install", () => self.skipWaiting());
self.addEventListener("activate", (event) => event.waitUntil(self.clients.claim()));

self.addEventListener("fetch", (event) => {
  const { request } = event;
  const url = new URL(request.url);
  if (request.method !== "GET" || url.origin !== self.location.origin || url.pathname.startsWith("/api"))
    return;
  if (request.mode === "navigate") {
    if (url.pathname === PAGE) event.respondWith(newestOrKept(request, PAGE));
    return;
  }
  event.respondWith(keptOrNewest(request));
});

async function newestOrKept(request, key) {
  const shell = await caches.open(SHELL);
  try {
    const answer = await fetch(request);
    if (answer.ok) {
      await shell.put(key, answer.clone());
      await letGo(shell, await answer.clone().text());
    }
    return answer;
  } catch {
    return (await shell.match(key)) ?? Response.error();
  }
}

// The files that a page begins with bear other names after an upgrade: with new ones, all that were kept before go. What the
// new page needs is then fetched anew, once.
async function letGo(shell, page) {
  const begins = page.match(/\/assets\/[^"']+/g) ?? [];
  const kept = (await shell.keys()).map((one) => new URL(one.url).pathname);
  if (kept.length < 2 || begins.every((one) => kept.includes(one))) return;
  for (const one of kept) if (one.startsWith("/assets/") && !begins.includes(one)) await shell.delete(one);
}

async function keptOrNewest(request) {
  const shell = await caches.open(SHELL);
  const kept = await shell.match(request);
  if (kept) return kept;
  const answer = await fetch(request);
  // Built files are named by their content: one that is kept is never another.
  if (answer.ok && new URL(request.url).pathname.startsWith("/assets/"))
    await shell.put(request, answer.clone());
  return answer;
}
