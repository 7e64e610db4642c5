// What is done on this device and not yet on the server's disk: taps, walks,
// readings and counts, in one queue for all of them. Each entry has a key of its
// own in the browser's store until the server says that it is safe. Where the
// store is full, entries are held in memory, and that is said in red.
window.UK = (() => {
  'use strict';

  const PREFIX = 'uk-q:';
  const BAD = 'uk-bad:';
  const who = () => document.body.dataset.person || '0';

  // A key of our own making: the browser's is withheld on a plain http address.
  const uuid = () => {
    const b = crypto.getRandomValues(new Uint8Array(16));
    b[6] = (b[6] & 15) | 64;
    b[8] = (b[8] & 63) | 128;
    const h = Array.from(b, (x) => x.toString(16).padStart(2, '0')).join('');
    return `${h.slice(0, 8)}-${h.slice(8, 12)}-${h.slice(12, 16)}-${h.slice(16, 20)}-${h.slice(20)}`;
  };

  const read = (key) => { try { return localStorage.getItem(key); } catch { return null; } };
  const write = (key, value) => {
    try {
      localStorage.setItem(key, value);
      return localStorage.getItem(key) === value;
    } catch {
      return false;
    }
  };
  const forget = (key) => { try { localStorage.removeItem(key); } catch { /* it was not there */ } };
  const parse = (text) => { try { return JSON.parse(text); } catch { return null; } };

  // The device has a name, and counts what is done on it: the order stands
  // above its clock. A page that cannot store goes on counting by itself.
  let counted = 0;
  const device = () => {
    let d = read('uk-device');
    if (!d) {
      d = uuid();
      write('uk-device', d);
    }
    return d;
  };
  const next = () => {
    counted = Math.max(counted, Number(read('uk-no')) || 0) + 1;
    write('uk-no', String(counted));
    return counted;
  };

  const mine = new Map(); // put on this page and not safe yet
  let unstored = 0; // of those, in memory only
  let emptied = 0; // that the store lost, and that were put back
  let reach = 'on'; // on, off, out (signed out)
  let trouble = ''; // what a server that cannot keep anything says
  let busy = false;
  let timer = 0;
  let backoff = 1000;
  const shut = new Map(); // person → why their entries do not go from here
  const kinds = new Map();
  const watchers = [];

  const keys = (prefix) => {
    const out = [];
    try {
      for (let i = 0; i < localStorage.length; i++) {
        const k = localStorage.key(i);
        if (k.startsWith(prefix)) out.push(k);
      }
    } catch {
      // No store: memory has them.
    }
    return out;
  };

  // items lists what waits, in the order in which it was done; want filters.
  const items = (want) => {
    const all = new Map();
    for (const k of keys(PREFIX)) {
      const x = parse(read(k));
      if (x) all.set(x.id, x);
    }
    for (const [id, x] of mine) if (!all.has(id)) all.set(id, x);
    return [...all.values()].filter((x) => !want || want(x)).sort((a, b) => a.no - b.no || a.at - b.at);
  };

  // keep puts what this page made and the store does not hold there again.
  const keep = () => {
    let short = 0;
    for (const [id, x] of mine) {
      if (read(PREFIX + id) !== null) continue;
      const stored = x.stored;
      if (write(PREFIX + id, JSON.stringify({ ...x, stored: undefined }))) {
        if (stored) emptied++;
        x.stored = true;
      } else {
        short++;
      }
    }
    unstored = short;
  };

  const drop = (id) => {
    mine.delete(id);
    forget(PREFIX + id);
  };

  // alarm is what is said in red.
  const alarm = () => {
    if (unstored) {
      return `This device stores nothing more: ${unstored} in memory only. `
        + 'Keep this page open until the line is back and they are safe.';
    }
    if (trouble) return trouble;
    if (emptied) return `This device's store was emptied. ${emptied} from this page were put back; what other pages kept may be lost.`;
    return '';
  };

  const changed = () => {
    keep();
    show();
    for (const w of watchers) w();
  };

  const put = (kind, body, also) => {
    const name = document.body.dataset.name || '';
    const x = { id: body.id || uuid(), kind, person: who(), name, no: next(), at: Date.now(), body, ...also };
    mine.set(x.id, x);
    changed();
    flush();
    return x;
  };

  // bad sets an entry aside that the server will never take, to be read.
  const aside = new Map(); // that a full store could not take
  const bad = (x, why) => {
    const b = { ...x, stored: undefined, why };
    if (!write(BAD + x.id, JSON.stringify(b))) aside.set(x.id, b);
    drop(x.id);
  };

  const says = async (r) => {
    const text = await r.text();
    const p = parse(text);
    if (p && p.says) return p.says;
    return text.length < 300 && !text.startsWith('<') ? text : '';
  };

  // post sends and waits no longer than a line that is up takes.
  const post = (url, person, init) => fetch(url, {
    method: 'POST',
    redirect: 'error',
    ...init,
    headers: { Accept: 'application/json', 'Union-Knot-By': person, ...init.headers },
    signal: AbortSignal.timeout ? AbortSignal.timeout(20000) : undefined,
  });

  // sendSome sends some entries of one kind by one person; false: the line is down.
  const sendSome = async (kind, person, list) => {
    const k = kinds.get(kind);
    for (const x of list) { // from now on the server may have it
      if (x.tried) continue;
      x.tried = true;
      if (mine.has(x.id)) mine.get(x.id).tried = true;
      if (read(PREFIX + x.id) !== null) write(PREFIX + x.id, JSON.stringify({ ...x, stored: undefined }));
    }
    const r = await post(k.url(list), person, k.request(list, Date.now()));
    if (r.ok) {
      await k.done(r, list);
      return;
    }
    if (r.status === 401) throw Object.assign(new Error('out'), { reach: 'out' });
    const why = await says(r);
    if (r.status === 403) {
      shut.set(person, why);
      return;
    }
    if (r.status >= 500 || r.status === 408 || r.status === 429) {
      throw Object.assign(new Error(why), { reach: 'off', trouble: r.status === 507 ? why : '' });
    }
    // It cannot be taken as it is. One by one, so that it holds up no other.
    if (list.length > 1) {
      for (const x of list) await sendSome(kind, person, [x]);
    } else if (!k.refused || !k.refused(list[0], r.status, why)) {
      bad(list[0], why || (r.status === 404 ? 'It is not there any more.' : `The server would not take it (${r.status}).`));
    } else {
      drop(list[0].id);
    }
  };

  const flush = async () => {
    if (busy) return;
    busy = true;
    clearTimeout(timer);
    try {
      for (;;) {
        const waiting = items((x) => kinds.has(x.kind) && !shut.has(x.person));
        if (!waiting.length) break;
        const { kind, person } = waiting[0];
        const k = kinds.get(kind);
        const alike = waiting.filter((x) => x.kind === kind && x.person === person && k.with(waiting[0], x));
        await sendSome(kind, person, alike.slice(0, k.chunk));
        changed();
      }
      reach = 'on';
      trouble = '';
      backoff = 1000;
      if (!items().length && !unstored) emptied = 0;
    } catch (e) {
      reach = e.reach || 'off';
      trouble = e.trouble || '';
      timer = setTimeout(flush, backoff);
      backoff = Math.min(backoff * 2, 20000);
    } finally {
      busy = false;
      changed();
    }
  };

  // what waits is said on every page.
  const show = () => {
    const el = document.getElementById('waits');
    if (!el) return;
    const all = items();
    const set = [...keys(BAD).map((k) => parse(read(k))).filter(Boolean), ...aside.values()];
    const red = alarm();
    // A card and a walk say themselves what waits of their own.
    const card = document.getElementById('card');
    const walk = document.getElementById('walk');
    const board = document.getElementById('classboard');
    const own = (x) => (board && x.kind === 'look' ? true : card ? x.kind === 'tap' && x.body.code === card.dataset.code : walk ?
      x.kind === 'act' : false);
    el.hidden = all.every(own) && !set.length && !red;
    el.classList.toggle('red', Boolean(red || set.length));
    const of = [...shut.keys()].map((p) => all.filter((x) => x.person === p)).filter((l) => l.length);
    const bits = [];
    if (all.length) {
      bits.push(`${all.length} ${all.length === 1 ? 'waits' : 'wait'} on this device`
        + (reach === 'out' ? ': sign in and they go.' : reach === 'off' ? ': the line is down.' : of.length ? '' : ', on the way.'));
    }
    for (const l of of) bits.push(`${l.length} of ${l[0].name || 'another'}: ${shut.get(l[0].person)}`);
    if (red) bits.push(red);
    el.replaceChildren(document.createTextNode(bits.join(' ')));
    for (const x of set) {
      const p = document.createElement('p');
      const b = document.createElement('button');
      b.type = 'button';
      b.className = 'small';
      b.textContent = 'Throw it away';
      b.addEventListener('click', () => { forget(BAD + x.id); aside.delete(x.id); changed(); });
      const said = kinds.get(x.kind)?.says?.(x) || x.kind;
      const again = document.createElement('button');
      again.type = 'button';
      again.className = 'small';
      again.textContent = 'Send it again';
      again.addEventListener('click', () => {
        if (!write(PREFIX + x.id, JSON.stringify({ ...x, why: undefined }))) return;
        forget(BAD + x.id);
        aside.delete(x.id);
        changed();
        flush();
      });
      const by = x.name ? `, ${x.name}` : '';
      p.append(`Not kept by the server: ${said}, ${new Date(x.at).toLocaleString()}${by}. ${x.why} `, again, ' ', b);
      el.append(p);
    }
  };

  const kind = (name, k) => kinds.set(name, { chunk: 1, with: () => true, ...k });

  // Pages that show entries hear of what became of them.
  const heard = { tap: [], act: [], reading: [], look: [] };
  const tell = (name, ...about) => heard[name].map((h) => h(...about)).some(Boolean);

  // Taps at the bench: of any tags, many at once.
  kind('tap', {
    chunk: 200,
    url: () => '/taps',
    request: (list, now) => ({
      headers: { 'Content-Type': 'application/json' },
      body: JSON.stringify({
        device: device(),
        taps: list.map((x) => ({
          id: x.id, code: x.body.code, kind: x.body.kind, n: x.body.n, undoes: x.body.undoes, no: x.no, ago_ms: Math.max(0, now - x.at),
        })),
      }),
    }),
    done: async (r, list) => {
      const d = await r.json();
      for (const id of d.safe) drop(id);
      for (const b of d.bad) {
        const x = list.find((y) => y.id === b.id);
        if (x) bad(x, b.why);
      }
      tell('tap', d, list);
    },
    says: (x) => `${x.body.n} ${x.body.kind} on ${x.body.code}`,
  });

  // Looks at learners' grafts.
  kind('look', {
    chunk: 100,
    url: () => '/looks',
    request: (list, now) => ({
      headers: { 'Content-Type': 'application/json' },
      body: JSON.stringify({ device: device(), looks: list.map((x) => ({ ...x.body, ago_ms: Math.max(0, now - x.at) })) }),
    }),
    done: async (r, list) => {
      const d = await r.json();
      d.held = d.held || [];
      for (const id of d.safe) drop(id);
      for (const b of d.bad || []) {
        const x = list.find((y) => y.id === b.id);
        if (x) bad(x, b.why);
      }
      tell('look', d, list);
    },
    says: (x) => `${x.body.says} at place ${x.body.place} of ${x.body.class}`,
  });

  // What is done on a walk.
  kind('act', {
    chunk: 50,
    url: () => '/grow/acts',
    request: (list, now) => ({
      headers: { 'Content-Type': 'application/json' },
      body: JSON.stringify({ acts: list.map((x) => ({ ...x.body, mark: undefined, ago_ms: Math.max(0, now - x.at) })) }),
    }),
    done: async (r, list) => {
      const d = await r.json();
      for (const id of d.safe) drop(id);
      for (const no of d.refused) {
        const x = list.find((a) => a.id === no.id);
        if (!x) continue;
        if (tell('act', x.body, no)) drop(x.id);
        else bad(x, no.why);
      }
      if (d.notes.length) tell('act', null, { why: d.notes.join(' ') });
    },
    says: (x) => [x.body.kind, x.body.knot, x.body.n, x.body.cause, x.body.place].filter(Boolean).join(' '),
  });

  // Readings of the caliper.
  kind('reading', {
    url: (list) => `/stock/lots/${encodeURIComponent(list[0].body.lot)}/readings`,
    request: (list) => ({
      headers: { 'HX-Request': 'true', 'Content-Type': 'application/x-www-form-urlencoded' },
      body: new URLSearchParams({ once: list[0].id, mm: list[0].body.both || String(list[0].body.mm) }),
    }),
    done: async (r, list) => {
      const html = await r.text();
      drop(list[0].id);
      tell('reading', list[0].body, 'safe', html);
    },
    refused: (x, status, why) => tell('reading', x.body, 'refused', why),
    says: (x) => `${x.body.mm} mm of lot ${x.body.lot}`,
  });

  kind('unread', {
    url: (list) => `/stock/lots/${encodeURIComponent(list[0].body.lot)}/readings/back`,
    request: (list) => ({
      headers: { 'HX-Request': 'true', 'Content-Type': 'application/x-www-form-urlencoded' },
      body: new URLSearchParams({ once: list[0].id, mm: String(list[0].body.mm) }),
    }),
    done: async (r, list) => {
      const html = await r.text();
      drop(list[0].id);
      tell('reading', list[0].body, 'back', html);
    },
    refused: (x, status, why) => tell('reading', x.body, 'kept', why),
    says: (x) => `${x.body.mm} mm of lot ${x.body.lot} taken back`,
  });

  // Forms that were kept: each with its own key, so that sent twice it is kept once.
  kind('form', {
    url: (list) => list[0].body.url,
    request: (list, now) => ({
      headers: { 'Content-Type': 'application/x-www-form-urlencoded' },
      body: `${list[0].body.data}&ago_ms=${Math.max(0, now - list[0].at)}`,
    }),
    done: async (_, list) => drop(list[0].id),
    says: (x) => {
      const typed = [...new URLSearchParams(x.body.data)].filter(([k, v]) => v && !/^(once|name|look|next|stands|replaces)$/.test(k));
      return `${x.body.what} (${typed.map(([k, v]) => `${k} ${v}`).join(', ')})`;
    },
  });

  // What earlier builds of these scripts left behind.
  for (const [old, name, shape] of [['uk-tap:', 'tap', ({ id, code, kind: k, n, undoes }) => ({ id, code, kind: k, n, undoes })],
    ['uk-walk:', 'act', ({ at, seq, person, ...a }) => a]]) {
    const left = keys(old).map((k) => [k, parse(read(k))]).filter(([, x]) => x && x.id)
      .sort(([, a], [, b]) => a.at - b.at || a.seq - b.seq);
    for (const [k, x] of left) {
      const now = { id: x.id, kind: name, person: String(x.person || who()), name: '', no: next(), at: x.at, body: shape(x) };
      if (write(PREFIX + x.id, JSON.stringify(now))) forget(k);
    }
  }

  for (const k of keys('uk-cal:')) {
    const left = parse(read(k)) || [];
    const kept = left.every((x) => write(PREFIX + x.id, JSON.stringify({
      id: x.id, kind: 'reading', person: who(), name: '', no: next(), at: Date.now(), body: { ...x, lot: k.slice(7) },
    })));
    if (kept) forget(k);
  }

  addEventListener('online', flush);
  addEventListener('storage', changed);
  document.addEventListener('visibilitychange', () => { if (!document.hidden) flush(); });
  addEventListener('beforeunload', (e) => { if (unstored) e.preventDefault(); });
  document.addEventListener('DOMContentLoaded', () => { changed(); flush(); });
  setInterval(() => { if (items().length) { changed(); if (reach === 'on') flush(); } }, 5000);

  return {
    uuid, who, put, items, drop, flush, kind, read, write, parse, alarm, device, post,
    reach: () => reach,
    watch: (w) => watchers.push(w),
    on: (name, h) => heard[name].push(h),
  };
})();
