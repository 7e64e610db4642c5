// The bench card: taps wait in the queue until the server says that they are on
// its disk. Only then are they drawn solid.
(() => {
  'use strict';

  const card = document.getElementById('card');
  if (!card) return;

  const code = card.dataset.code;
  const planned = Number(card.dataset.planned);
  const wipeAfter = Number(card.dataset.wipeAfter);
  let counts = JSON.parse(card.dataset.counts);
  // Taps that can be taken back, oldest first.
  let history = JSON.parse(card.dataset.taps).reverse();
  const $ = (id) => document.getElementById(id);
  const waiting = () => UK.items((x) => x.kind === 'tap' && x.body.code === code).map((x) => x.body);

  // A card that was kept on this device is as old as the line has been down: what
  // the server said since stands above it.
  const known = UK.parse(UK.read(`uk-card:${code}`));
  const kept = Number(document.body.dataset.kept || 0);
  if (kept && known && known.at > kept) ({ counts, history } = known);
  // What waits was made, or taken back, after what the server knows.
  for (const t of waiting()) {
    if (t.kind === 'undo') history = history.filter((h) => h.id !== t.undoes);
    else if (!history.some((h) => h.id === t.id)) history.push(t);
  }
  const remember = () => UK.write(`uk-card:${code}`, JSON.stringify({ at: Date.now(), counts, history: history.slice(-40) }));

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
    for (const t of waiting()) {
      if (t.kind === 'undo') {
        const u = t.was;
        if (u) effect(u, -1);
      } else {
        effect(t, 1);
      }
    }
    c.left = Math.max(0, c.left);
    return c;
  };

  // What the card says stands in the page, in the tongue of the page.
  const says = (key, n) => card.dataset['text' + key].replace('{n}', () => n);

  const draw = () => {
    const c = seen();
    const wait = waiting();
    const reach = UK.reach();
    $('tied').textContent = c.tied;
    $('left').textContent = c.finished ? says('Finished') : says('Left', c.left);
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
    for (const [k, name] of [['spoiled_stock', 'Stock'], ['spoiled_wood', 'Wood'], ['dropped', 'Dropped'], ['set_aside', 'Aside']]) {
      if (c[k]) bits.push(says(name, c[k]));
    }
    $('others').textContent = bits.join(' · ');
    const due = c.since_wipe >= wipeAfter;
    $('wipe').classList.toggle('calm', !due);
    $('wipe-says').textContent = says(due ? 'Wipenow' : 'Wiped', c.since_wipe);
    const line = $('line');
    const red = UK.alarm();
    const waits = says(wait.length === 1 ? 'One' : 'Many', wait.length);
    line.className = 'line ' + (red ? 'red' : reach === 'on' ? 'on' : 'off');
    if (red) line.textContent = red;
    else if (reach === 'out') {
      const again = Object.assign(document.createElement('a'), { href: '/sign-in', textContent: says('Out', waits) });
      line.replaceChildren(again);
    } else if (reach === 'off') line.textContent = says('Off', waits);
    else line.textContent = wait.length ? says('Way', wait.length) : says('Safe');
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

  UK.on('tap', (done, list) => {
    if (done.counts[code]) counts = done.counts[code];
    for (const h of done.held) {
      if (!list.some((x) => x.id === h.id && x.body.code === code)) continue;
      history = history.filter((t) => t.id !== h.id);
      $('held').textContent = says('Held', h.why);
    }
    remember();
  });
  UK.watch(() => draw());

  const tap = (kind, n) => {
    const c = seen();
    if (kind === 'undo') {
      const last = history.pop();
      if (!last) return;
      UK.put('tap', { id: UK.uuid(), code, kind: 'undo', n: 1, undoes: last.id, was: { kind: last.kind, n: last.n } });
    } else {
      if (c.finished || kind === 'tied' && c.left < n) return;
      const t = { id: UK.uuid(), code, kind, n };
      history.push(t);
      UK.put('tap', t);
    }
    $('held').textContent = '';
    navigator.vibrate?.(15);
    draw();
  };

  card.addEventListener('click', (e) => {
    const b = e.target.closest('[data-tap]');
    if (b && !b.disabled) tap(b.dataset.tap, Number(b.dataset.n || 1));
  });

  const keys = { ' ': ['tied', 1], f: ['tied', 5], Backspace: ['undo', 1], s: ['spoiled stock', 1], w: ['spoiled wood', 1], d: ['dropped',
    1], a: ['set aside', 1], k: ['wiped', 1], b: ['new blade', 1] };
  document.addEventListener('keydown', (e) => {
    if (e.repeat || e.ctrlKey || e.altKey || e.metaKey || 'keysOff' in document.body.dataset ||
      document.querySelector('dialog[open]')) return;
    const el = document.activeElement;
    if (el && el.closest('input, select, textarea')) return;
    const k = keys[e.key.length === 1 ? e.key.toLowerCase() : e.key];
    if (!k) return;
    // Space on a button reached with Tab presses that button.
    if (e.key === ' ' && el && el.matches('button:focus-visible, summary, a')) return;
    e.preventDefault();
    tap(...k);
  });

  draw();
})();
