// The walk: what is done on a bed is kept in the browser's store, one entry each,
// until the server says that it is on its disk.
(() => {
  'use strict';

  const walk = document.getElementById('walk');
  if (!walk) return;
  const PREFIX = 'uk-walk:';
  const who = () => document.querySelector('[data-person]')?.dataset.person || '';
  const $ = (id) => document.getElementById(id);

  // A key of our own making: the browser's is withheld on a plain http address.
  const uuid = () => {
    const b = crypto.getRandomValues(new Uint8Array(16));
    b[6] = (b[6] & 15) | 64;
    b[8] = (b[8] & 63) | 128;
    const h = Array.from(b, (x) => x.toString(16).padStart(2, '0')).join('');
    return `${h.slice(0, 8)}-${h.slice(8, 12)}-${h.slice(12, 16)}-${h.slice(16, 20)}-${h.slice(20)}`;
  };

  // waiting lists what was done here by whoever is signed in, in order.
  const waiting = (all) => {
    const out = [];
    for (let i = 0; i < localStorage.length; i++) {
      const key = localStorage.key(i);
      if (!key.startsWith(PREFIX)) continue;
      try {
        const a = JSON.parse(localStorage.getItem(key));
        if (all || a.person === who()) out.push(a);
      } catch {
        // Not ours to read; it stays.
      }
    }
    return out.sort((a, b) => a.at - b.at || a.seq - b.seq);
  };

  let seq = 0;
  let reach = 'on'; // on, off, out (signed out)
  let busy = false;
  let backoff = 1000;
  const undoable = []; // acts made on this page that can be taken back, with what shows them

  const show = () => {
    const n = waiting(true).length;
    const line = $('line');
    line.className = `line ${reach === 'on' && !n ? 'on' : reach}`;
    line.textContent = reach === 'out' ? `Signed out: ${n} wait on this phone` : reach === 'off' ? `The line is down: ${n} wait on this phone`
      : n ? `Sending ${n}` : 'All safe';
    $('takeback').disabled = !undoable.length;
  };

  // asks shows what an act was refused for; where a reason helps, it asks for one.
  const refused = (act, r) => {
    const say = $('walk-says');
    const mine = undoable.findIndex((u) => u.act.id === act.id);
    if (mine >= 0) undoable.splice(mine, 1)[0].back();
    say.replaceChildren(document.createTextNode(`${r.why} `));
    if (!r.ask) return;
    const why = document.createElement('input');
    why.setAttribute('aria-label', 'why');
    why.autocomplete = 'off';
    const keep = document.createElement('button');
    keep.type = 'button';
    keep.textContent = 'Keep it all the same';
    keep.addEventListener('click', () => {
      if (!why.value.trim()) { why.focus(); return; }
      say.replaceChildren();
      const again = { ...act, id: uuid(), reason: why.value.trim() };
      put(again, act.mark || null);
    });
    say.append(why, keep);
    why.focus();
  };

  const CHUNK = 50;
  const send = async () => {
    if (busy) return;
    busy = true;
    try {
      for (;;) {
        const acts = waiting().slice(0, CHUNK);
        if (!acts.length) break;
        const now = Date.now();
        const r = await fetch('/grow/acts', {
          method: 'POST',
          headers: { 'Content-Type': 'application/json' },
          body: JSON.stringify({ acts: acts.map(({ at, seq: _, person: __, mark: ___, ...a }) => ({ ...a, ago_ms: Math.max(0, now - at) })) }),
          redirect: 'error',
        });
        if (!r.ok) {
          const err = new Error(`server said ${r.status}`);
          err.status = r.status;
          throw err;
        }
        const done = await r.json();
        for (const id of done.safe) localStorage.removeItem(PREFIX + id);
        for (const x of done.refused) {
          localStorage.removeItem(PREFIX + x.id);
          const act = acts.find((a) => a.id === x.id);
          if (act) refused(act, x);
        }
        if (done.notes.length) $('walk-says').textContent = done.notes.join(' ');
      }
      reach = 'on';
      backoff = 1000;
    } catch (err) {
      reach = err.status === 401 || err.status === 403 ? 'out' : 'off';
      setTimeout(send, backoff);
      backoff = Math.min(backoff * 2, 30000);
    } finally {
      busy = false;
      show();
    }
  };

  // put keeps an act on the device and sends it; back puts the page as it was.
  const put = (act, back) => {
    const a = { ...act, person: who(), at: Date.now(), seq: seq++ };
    try {
      localStorage.setItem(PREFIX + a.id, JSON.stringify(a));
    } catch {
      $('walk-says').textContent = 'This phone keeps nothing more: note it on paper.';
      return;
    }
    if (act.kind !== 'undo') undoable.push({ act, back: back || (() => {}) });
    show();
    send();
  };

  const stops = [...walk.querySelectorAll(':scope > .stop')];
  let at = 0;
  const due = (s) => s.querySelectorAll('.stopstep:not(.isdone)').length;
  const dots = () => {
    $('dots').replaceChildren(...stops.map((s, i) => {
      const b = document.createElement('button');
      b.type = 'button';
      b.className = `${i === at ? 'here' : ''} ${due(s) ? '' : 'alldone'}`;
      b.setAttribute('aria-label', `${s.dataset.place}, ${due(s)} due`);
      if (i === at) b.setAttribute('aria-current', 'step');
      b.addEventListener('click', () => go(i));
      return b;
    }));
  };
  const go = (i) => {
    at = Math.max(0, Math.min(stops.length - 1, i));
    stops.forEach((s, k) => { s.hidden = k !== at; });
    if (stops.length) $('walk-at').textContent = `${at + 1} of ${stops.length} beds`;
    const on = stops[at + 1];
    $('next').disabled = !on;
    $('next').textContent = on ? `Next: ${on.dataset.place}` : 'The last bed';
    dots();
    walk.scrollIntoView({ block: 'start' });
  };
  $('next').addEventListener('click', () => go(at + 1));

  const finish = (step, items) => {
    step.classList.add('isdone');
    dots();
    return () => { step.classList.remove('isdone'); dots(); void items; };
  };

  for (const stop of walk.querySelectorAll('.stop')) {
    for (const step of stop.querySelectorAll('.stopstep')) {
      const done = (items) => {
        const act = { id: uuid(), kind: 'done', knot: step.dataset.knot, items };
        const to = step.querySelector('.to')?.value.trim();
        if (to) act.place = to;
        put(act, finish(step, items));
      };
      step.querySelector('.whole')?.addEventListener('click', () => {
        if (step.classList.contains('isdone')) return;
        if (step.dataset.round) put({ id: uuid(), kind: 'round', round: Number(step.dataset.round) }, finish(step));
        else done(JSON.parse(step.dataset.items));
      });
      const which = step.querySelector('.which');
      step.querySelector('.some')?.addEventListener('click', () => { which.hidden = !which.hidden; });
      const those = step.querySelector('.those');
      for (const b of step.querySelectorAll('.which [data-code]')) {
        b.addEventListener('click', () => {
          b.setAttribute('aria-pressed', b.getAttribute('aria-pressed') === 'true' ? 'false' : 'true');
          those.disabled = !step.querySelector('.which [aria-pressed="true"]');
        });
      }
      those?.addEventListener('click', () => {
        const on = [...step.querySelectorAll('.which [aria-pressed="true"]')];
        const items = on.map((b) => ({ code: b.dataset.code, n: Number(b.dataset.n) }));
        const all = JSON.parse(step.dataset.items);
        const rest = all.filter((x) => !items.some((y) => y.code === x.code));
        const act = { id: uuid(), kind: 'done', knot: step.dataset.knot, items };
        if (!rest.length) { put(act, finish(step, items)); return; }
        step.dataset.items = JSON.stringify(rest);
        on.forEach((b) => { b.hidden = true; b.setAttribute('aria-pressed', 'false'); });
        those.disabled = true;
        put(act, () => { step.dataset.items = JSON.stringify(all); on.forEach((b) => { b.hidden = false; }); });
      });
    }
    const alive = stop.querySelector('[data-alive]');
    const lose = (cause, count) => {
      if (Number(alive.textContent) < 1) { $('walk-says').textContent = 'No more stand here than that.'; return; }
      const by = (n) => { count.textContent = Number(count.textContent) + n; alive.textContent = Number(alive.textContent) - n; };
      by(1);
      put({ id: uuid(), kind: 'lost', cause, n: 1, items: JSON.parse(stop.dataset.all) }, () => by(-1));
    };
    for (const b of stop.querySelectorAll('[data-cause]')) b.addEventListener('click', () => lose(b.dataset.cause, b.querySelector('b')));
    const other = stop.querySelector('.other select');
    other?.addEventListener('change', () => {
      if (other.value) lose(other.value, stop.querySelector('.other b'));
      other.value = '';
    });
  }

  $('takeback').addEventListener('click', () => {
    const last = undoable.pop();
    if (!last) return;
    last.back();
    if (localStorage.getItem(PREFIX + last.act.id) && reach !== 'on') {
      localStorage.removeItem(PREFIX + last.act.id); // it never left this phone
      show();
      return;
    }
    put({ id: uuid(), kind: 'undo', undoes: last.act.id });
  });

  const named = decodeURIComponent(location.hash.slice(1));
  go(Math.max(0, stops.findIndex((s) => s.dataset.place === named)));
  addEventListener('online', send);
  show();
  send();
})();
