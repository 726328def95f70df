{% load static %}// Keeps the look and one page of Kentrobar {{ version }}, for when the server cannot be reached.
// Pages of the shop are never kept: they would be read by whoever has the phone, and be out of date.
"use strict";

const SHELF = "kentrobar {{ version }}";
const OFFLINE = "{% url 'offline' %}";
const KEPT = [
  OFFLINE, "{% static 'kentrobar.css' %}", "{% static 'vendor/bootstrap.css' %}", "{% static 'offline.js' %}",
  "{% static 'mark.svg' %}", "{% static 'vendor/fonts/barlow-semi-condensed-400.woff2' %}",
];

self.addEventListener("install", (event) => {
  event.waitUntil(caches.open(SHELF).then((shelf) => shelf.addAll(KEPT)).then(() => self.skipWaiting()));
});

self.addEventListener("activate", (event) => {
  const drop = (names) => Promise.all(names.filter((name) => name !== SHELF).map((name) => caches.delete(name)));
  event.waitUntil(caches.keys().then(drop).then(() => self.clients.claim()));
});

self.addEventListener("fetch", (event) => {
  const { request } = event;
  if (request.mode === "navigate") {
    event.respondWith(fetch(request).catch(() => caches.match(OFFLINE)));
  } else if (request.method === "GET" && KEPT.includes(new URL(request.url).pathname)) {
    event.respondWith(fetch(request).catch(() => caches.match(request)));
  }
});
