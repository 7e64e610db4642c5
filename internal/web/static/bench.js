// The bench card: taps are kept in the browser's store, one entry each, until
// the server says that they are on its disk. Only then are they drawn solid.
(() => {
  'use strict';

  const PREFIX = 'uk-tap:';
  const who = () => document.querySelector('[data-person]')?.dataset.person || '';

  // A key of our own making: the browser's is withheld on a plain http address.
  const uuid = () => {
    const b = crypto.getRandomValues(new Uint8Array(16));
    b[6] = (b[6] & 15) | 64;
    b[8] = (b[8] & 63) | 128;
    const h = Array.from(b, (x) => x.toString(16).padStart(2, '0')).join('');
    return `${h.slice(0, 8)}-${h.slice(8, 12)}-${h.slice(12, 16)}-${h.slice(16, 20)}-${h.slice(20)}`;
  };

  // waiting lists taps in the order they were made, of one tag or of all.
  const waiting = (code) => {
    const out = [];
    for (let i = 0; i < localStorage.length; i++) {
      const key = localStorage.key(i);
      if (!key.startsWith(PREFIX)) continue;
      try {
        const t = JSON.parse(localStorage.getItem(key));
        if (!code || t.code === code) out.push({ ...t, key });
      } catch {
        // Not ours to read; it stays.
      }
    }
    return out.sort((a, b) => a.at - b.at || a.seq - b.seq);
  };

  let seq = 0;
  const keep = (code, tap) => {
    const t = { ...tap, code, person: who(), at: Date.now(), seq: seq++ };
    localStorage.setItem(PREFIX + t.id, JSON.stringify(t));
    return t;
  };

  const CHUNK = 200;
  // send posts a tag's waiting taps and forgets those that are safe. It throws
  // when the server cannot be reached.
  const send = async (code) => {
    const taps = waiting(code).slice(0, CHUNK);
    if (!taps.length) return null;
    const now = Date.now();
    const r = await fetch(`/bench/tags/${encodeURIComponent(code)}/taps`, {
      method: 'POST',
      headers: { 'Content-Type': 'application/json' },
      body: JSON.stringify({ taps: taps.map((t) => ({ id: t.id, kind: t.kind, n: t.n, undoes: t.undoes, ago_ms: Math.max(0, now - t.at) })) }),
      redirect: 'error',
    });
    if (!r.ok) {
      const err = new Error(`server said ${r.status}`);
      err.status = r.status;
      throw err;
    }
    const done = await r.json();
    for (const id of done.safe) localStorage.removeItem(PREFIX + id);
    return done;
  };

  const card = document.getElementById('card');
  if (!card) {
    // On any other page: send what an earlier card left behind.
    const mine = who();
    const codes = new Set(waiting().filter((t) => t.person === mine).map((t) => t.code));
    const drain = async () => {
      for (const c of codes) {
        try {
          while (waiting(c).length) await send(c);
        } catch {
          // It stays here and is tried on the next page.
        }
      }
      const n = waiting().length;
      const say = document.getElementById('waits');
      if (say) say.textContent = n ? `${n} taps wait on this device. They go when the card of their tag is opened by its worker.` : '';
    };
    drain();
    return;
  }

  const code = card.dataset.code;
  const planned = Number(card.dataset.planned);
  const wipeAfter = Number(card.dataset.wipeAfter);
  let counts = JSON.parse(card.dataset.counts);
  // Taps that can be taken back, oldest first.
  let history = JSON.parse(card.dataset.taps).reverse();
  let reach = 'on'; // on, off, out (signed out)
  let busy = false;
  let backoff = 1000;
  let timer = 0;
  const $ = (id) => document.getElementById(id);

  // seen is what the tag stands at with the waiting taps counted in.
  const seen = () => {
    const c = { ...counts };
    const effect = (t, sign) => {
      switch (t.kind) {
        case 'tied': c.tied += sign * t.n; c.left -= sign * t.n; c.since_wipe += sign * t.n; break;
        case 'spoiled stock': c.spoiled_stock += sign; break;
        case 'spoiled wood': c.spoiled_wood += sign; break;
        case 'dropped': c.dropped += sign; break;
        case 'set aside': c.set_aside += sign; c.left -= sign; break;
        case 'wiped': case 'new blade': if (sign > 0) c.since_wipe = 0; break;
        case 'finish': c.finished = sign > 0; break;
      }
    };
    for (const t of waiting(code)) {
      if (t.kind === 'undo') {
        const u = history.find((h) => h.id === t.undoes) || t.was;
        if (u) effect(u, -1);
      } else {
        effect(t, 1);
      }
    }
    c.left = Math.max(0, c.left);
    return c;
  };

  const draw = () => {
    const c = seen();
    const wait = waiting(code);
    $('tied').textContent = c.tied;
    $('left').textContent = c.finished ? 'finished' : `${c.left} to go`;
    const svg = $('rungs');
    const w = 610 / Math.max(planned, 1);
    if (svg.children.length !== Math.max(planned, c.tied)) {
      svg.replaceChildren(...Array.from({ length: Math.max(planned, c.tied) }, (_, i) => {
        const r = document.createElementNS('http://www.w3.org/2000/svg', 'rect');
        const five = i % 5 === 0;
        r.setAttribute('x', (i * w + 0.8).toFixed(2));
        r.setAttribute('y', five ? '0' : '7');
        r.setAttribute('width', Math.max(1, w - 1.6).toFixed(2));
        r.setAttribute('height', five ? '40' : '33');
        return r;
      }));
    }
    [...svg.children].forEach((r, i) => {
      r.setAttribute('class', 'rung' + (i < Math.min(counts.tied, c.tied) ? ' safe' : i < c.tied ? ' waits' : ''));
    });
    const bits = [];
    for (const [k, name] of [['spoiled_stock', 'stock spoiled'], ['spoiled_wood', 'wood spoiled'], ['dropped', 'dropped'], ['set_aside', 'set aside']]) {
      if (c[k]) bits.push(`${c[k]} ${name}`);
    }
    $('others').textContent = bits.join(' · ');
    const due = c.since_wipe >= wipeAfter;
    $('wipe').classList.toggle('calm', !due);
    $('wipe-says').textContent = due ? `${c.since_wipe} grafts since the last wipe. Wipe now.` : `${c.since_wipe} grafts since the last wipe.`;
    const line = $('line');
    line.className = 'line ' + (reach === 'on' ? 'on' : 'off');
    if (reach === 'out') line.innerHTML = `${wait.length} taps wait here. <a href="/sign-in">Sign in again</a> and they go.`;
    else if (reach === 'off') line.textContent = `The line is down. ${wait.length} taps wait on this device; go on tapping.`;
    else line.textContent = wait.length ? `${wait.length} on the way` : 'All safe';
    for (const b of card.querySelectorAll('[data-tap]')) {
      const k = b.dataset.tap;
      const n = Number(b.dataset.n || 1);
      b.disabled = k === 'undo' ? !undoable() : c.finished ? true : k === 'tied' ? c.left < n : false;
    }
    $('finished').hidden = !c.finished;
    card.dataset.state = c.finished ? 'finished' : 'open';
    card.dataset.waits = wait.length;
  };

  const undoable = () => history.length > 0;

  const flush = async () => {
    if (busy) return;
    busy = true;
    clearTimeout(timer);
    try {
      let done;
      while ((done = await send(code))) {
        counts = done.counts;
        for (const h of done.held) {
          history = history.filter((t) => t.id !== h.id);
          $('held').textContent = `A tap was kept but not counted: ${h.why}.`;
        }
        draw();
      }
      reach = 'on';
      backoff = 1000;
    } catch (e) {
      if (e.status === 401 || e.status === 403) {
        reach = 'out';
      } else if (e.status === 422 || e.status === 400) {
        reach = 'off';
        $('held').textContent = 'The server would not take these taps. Load this card anew; they stay on this device.';
      } else {
        reach = 'off';
      }
      timer = setTimeout(flush, backoff);
      backoff = Math.min(backoff * 2, 15000);
    } finally {
      busy = false;
      draw();
    }
  };

  const tap = (kind, n) => {
    const c = seen();
    if (kind === 'undo') {
      const last = history.pop();
      if (!last) return;
      keep(code, { id: uuid(), kind: 'undo', n: 1, undoes: last.id, was: { kind: last.kind, n: last.n } });
    } else {
      if (c.finished || kind === 'tied' && c.left < n) return;
      history.push(keep(code, { id: uuid(), kind, n }));
    }
    $('held').textContent = '';
    navigator.vibrate?.(15);
    draw();
    flush();
  };

  card.addEventListener('click', (e) => {
    const b = e.target.closest('[data-tap]');
    if (b && !b.disabled) tap(b.dataset.tap, Number(b.dataset.n || 1));
  });

  const keys = { ' ': ['tied', 1], f: ['tied', 5], Backspace: ['undo', 1], s: ['spoiled stock', 1], w: ['spoiled wood', 1], d: ['dropped', 1], a: ['set aside', 1], k: ['wiped', 1], b: ['new blade', 1] };
  document.addEventListener('keydown', (e) => {
    if (e.repeat || e.ctrlKey || e.altKey || e.metaKey || 'keysOff' in document.body.dataset || document.querySelector('dialog[open]')) return;
    const el = document.activeElement;
    if (el && el.closest('input, select, textarea')) return;
    const k = keys[e.key.length === 1 ? e.key.toLowerCase() : e.key];
    if (!k) return;
    // Space on a button reached with Tab presses that button.
    if (e.key === ' ' && el && el.matches('button:focus-visible, summary, a')) return;
    e.preventDefault();
    tap(...k);
  });

  window.addEventListener('online', flush);
  document.addEventListener('visibilitychange', () => { if (!document.hidden) flush(); });
  // Another tab on the same tag: draw what it keeps.
  window.addEventListener('storage', draw);
  draw();
  flush();
})();
