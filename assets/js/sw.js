// The service worker: without a line it shows the pages of the bench's day as they
// were last seen here, each worker's own, and says how old they are. What is done on
// them waits in queue.js. The server puts the stamp of the built files in.
'use strict';

const STAMP = '{{STAMP}}';
const STATIC = `uk-static-${STAMP}`;
const ASSETS = ['app.css', 'htmx.min.js', 'app.js', 'queue.js', 'drafts.js', 'bench.js', 'grow.js', 'caliper.js', 'class.js',
  'alpine.min.js',
  'mark.svg', 'fonts/atkinson.woff2', 'fonts/bitter.woff2'].map((f) => `/static/${STAMP}/${f}`);
const KEPT = [/^\/bench$/, /^\/bench\/tags\/[^/]+$/, /^\/heal$/, /^\/heal\/[^/]+$/, /^\/grow\/walk$/,
  /^\/stock\/lots\/[^/]+\/caliper$/, /^\/classes\/[^/]+$/, /^\/names$/];
const PATIENCE = 6000; // a server that does not answer in this is gone, if the page is kept here
const MOST = 150; // pages a worker

const meta = async (key, value) => {
  const c = await caches.open('uk-meta');
  if (value !== undefined) return c.put(key, new Response(value));
  const r = await c.match(key);
  return r ? r.text() : '';
};

self.addEventListener('install', (e) => {
  e.waitUntil(caches.open(STATIC).then((c) => c.addAll(ASSETS)).then(() => self.skipWaiting()));
});

self.addEventListener('activate', (e) => {
  e.waitUntil((async () => {
    // Pages kept before an update want the files that they were made with: those of
    // the last three are left.
    const old = (await caches.keys()).filter((k) => k.startsWith('uk-static-') && k !== STATIC);
    for (const k of old.slice(0, Math.max(0, old.length - 2))) await caches.delete(k);
    await self.clients.claim();
  })());
});

// keep puts a page in its worker's, with when it was seen.
const keep = async (url, r) => {
  const person = r.headers.get('Union-Knot-Person') || '0';
  const c = await caches.open(`uk-pages-${person}`);
  const headers = new Headers(r.headers);
  const html = await r.text();
  headers.set('Kept-At', String(Date.now()));
  headers.set('Kept-Title', encodeURIComponent((html.match(/<title>([^<]*)<\/title>/) || ['', url])[1].replace(' · Union Knot', '')));
  await c.put(url, new Response(html, { headers }));
  const all = await c.keys();
  for (const k of all.slice(0, Math.max(0, all.length - MOST))) await c.delete(k);
};

const mayKeep = (url, r) => r.ok && !r.redirected && (r.headers.get('Content-Type') || '').startsWith('text/html')
  && KEPT.some((k) => k.test(url.pathname));

// aged is a kept page that says since when it is so.
const aged = async (r) => {
  const html = (await r.text()).replace('<body ', `<body data-kept="${r.headers.get('Kept-At')}" `);
  const policy = r.headers.get('Content-Security-Policy') || '';
  return new Response(html, { headers: { 'Content-Type': 'text/html; charset=utf-8', 'Content-Security-Policy': policy } });
};

const find = async (url) => {
  const person = url.pathname === '/names' ? '0' : (await meta('/who')) || '0';
  const c = await caches.open(`uk-pages-${person}`);
  const exact = await c.match(url.pathname + url.search);
  return exact || url.pathname === '/names' ? exact : c.match(url.pathname, { ignoreSearch: true });
};

const none = async () => {
  const person = (await meta('/who')) || '0';
  const c = await caches.open(`uk-pages-${person}`);
  const kept = [];
  for (const k of await c.keys()) {
    const u = new URL(k.url);
    const r = await c.match(k);
    kept.push([u.pathname + u.search, decodeURIComponent(r.headers.get('Kept-Title') || '')]);
  }
  const safe = (s) => s.replace(/&/g, '&amp;').replace(/</g, '&lt;').replace(/"/g, '&quot;');
  const links = kept.sort().map(([path, title]) => `<li><a href="${safe(path)}">${title || safe(path)}</a></li>`).join('');
  return new Response(`<!doctype html><html lang="en"><head><meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<title>The line is down</title><link rel="stylesheet" href="/static/${STAMP}/app.css">
<script defer src="/static/${STAMP}/queue.js"></script></head>
<body data-person="${person}"><main id="main"><h1>The line is down</h1><div id="waits" role="status" hidden></div>
<p>This page is not kept on this device. If you sent something from the page before, go back: it is still there.</p>
${links ? `<p>These are:</p><ul>${links}</ul>` : ''}</main></body></html>`, {
    status: 503, headers: { 'Content-Type': 'text/html; charset=utf-8' },
  });
};

const page = async (e) => {
  const url = new URL(e.request.url);
  const kept = e.request.method === 'GET' ? await find(url) : undefined;
  try {
    const late = new Promise((_, no) => { if (kept) setTimeout(() => no(new Error('late')), PATIENCE); });
    const r = await Promise.race([fetch(e.request), late]);
    if (r.status >= 502 && r.status <= 504) throw new Error('gone');
    const person = r.headers.get('Union-Knot-Person');
    if (url.pathname === '/sign-in') await meta('/stands', ''); // the tablet was closed, or its day is over
    const stands = await meta('/stands'); // who took the tablet over while the line was down
    if (person && stands && stands !== person && stands !== '0') {
      // The session is of whoever had it before: a PIN once more.
      return Response.redirect(`/names?person=${stands}`, 303);
    }
    if (person) await meta('/who', person);
    if (person) await meta('/stands', '');
    if (mayKeep(url, r)) e.waitUntil(keep(url.pathname + url.search, r.clone()));
    return r;
  } catch {
    const again = kept || (e.request.method === 'GET' ? await find(url) : undefined);
    return again ? aged(again.clone()) : none();
  }
};

self.addEventListener('fetch', (e) => {
  const url = new URL(e.request.url);
  if (url.origin !== location.origin) return;
  if (url.pathname.startsWith('/static/') && e.request.method === 'GET') {
    e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)));
  } else if (e.request.mode === 'navigate') {
    e.respondWith(page(e));
  }
});

// keepAll fetches pages that will be wanted, one after the other, if they are not as
// fresh as a few minutes.
const keepAll = async (list) => {
  for (const path of list) {
    const url = new URL(path, location.origin);
    if (!KEPT.some((k) => k.test(url.pathname))) continue;
    const have = await find(url);
    if (have && Date.now() - Number(have.headers.get('Kept-At')) < 3 * 60000 && have.headers.get('Union-Knot-Stamp') === STAMP) continue;
    try {
      const r = await fetch(url, { headers: { 'Union-Knot-Keep': '1' } });
      if (mayKeep(url, r)) await keep(url.pathname + url.search, r);
    } catch {
      return; // the line is down: what is kept is kept
    }
  }
};

self.addEventListener('message', (e) => {
  if (Array.isArray(e.data?.keep)) e.waitUntil(keepAll(e.data.keep));
});
