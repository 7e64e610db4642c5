// A class's board: a place is chosen, and one tap says what was seen. Taps wait in the queue until
// the server has them; meanwhile their place says so.
(() => {
  'use strict';
  const board = document.getElementById('classboard');
  if (!board) return;
  const code = board.dataset.code;
  const $ = (id) => document.getElementById(id);
  const seat = (place) => board.querySelector(`.seat[data-place="${place}"]`);
  const pending = () => UK.items((x) => x.kind === 'look' && x.body.class === code);
  const mine = new Map(); // place → this device's newest look there
  let chosen = null;

  const choose = (place) => {
    chosen = place ? Number(place) : null;
    show();
    if (chosen) $(innerWidth < 740 ? 'verdicts' : 'v-title').scrollIntoView({ block: innerWidth < 740 ? 'end' : 'nearest' });
  };

  const show = () => {
    const waiting = new Map();
    for (const x of pending()) waiting.set(x.body.place, x);
    for (const el of board.querySelectorAll('.seat')) {
      const place = Number(el.dataset.place);
      el.setAttribute('aria-pressed', String(place === chosen));
      el.classList.toggle('sending', waiting.has(place));
    }
    for (const b of board.querySelectorAll('[data-choose]')) {
      const x = waiting.get(Number(b.dataset.choose));
      b.hidden = Boolean(x) && x.body.says !== 'waits';
    }
    const n = pending().length;
    $('v-line').textContent = n ? `${n} on this phone${UK.reach() === 'off' ? ', the line is down' : ', on the way'}` : 'All safe';
    $('v-line').classList.toggle('on', !n);
    const el = chosen && seat(chosen);
    const off = !el || 'off' in el.dataset;
    $('v-title').textContent = el ? el.dataset.title : 'Choose a place';
    $('v-says').textContent = !el ? 'Tap the place you stand at, or the one that has waited longest.'
      : off ? 'Nothing is to be looked at there.' : el.dataset.last ? `Last: ${el.dataset.last}.` : 'Not looked at yet.';
    const warm = el && el.dataset.title.includes('practice');
    $('v-buttons').hidden = off || !(warm || 'must' in el.dataset);
    $('v-bound').hidden = off || warm || 'must' in el.dataset;
    $('v-more').hidden = !el;
    if (el) $('v-page').href = `/classes/${encodeURIComponent(code)}/places/${chosen}`;
  };

  const said = (place) => {
    const el = seat(place);
    const last = pending().filter((x) => x.body.place === place && !['waits', 'off', 'undo', 'bound'].includes(x.body.says)).pop();
    return last ? last.id : mine.get(place) || (el && el.dataset.newest) || '';
  };

  const look = (says) => {
    const el = chosen && seat(chosen);
    if (!el || ('off' in el.dataset && says !== 'undo')) return;
    const id = UK.uuid();
    const body = { id, class: code, place: chosen, says };
    if (says === 'undo') {
      body.undoes = said(chosen);
      if (!body.undoes) return;
      mine.delete(chosen);
    } else if (!['waits', 'off', 'bound'].includes(says)) {
      body.seen = said(chosen);
    }
    $('v-held').textContent = '';
    UK.put('look', body);
    if (!['waits', 'off', 'undo', 'bound'].includes(says)) mine.set(chosen, id);
    if (navigator.vibrate) navigator.vibrate(20);
    if (says === 'undo' || says === 'bound') {
      show();
      return;
    }
    // On to whoever has waited longest.
    const next = [...board.querySelectorAll('[data-choose]')].find((b) => !b.hidden && Number(b.dataset.choose) !== chosen
      && !pending().some((x) => x.body.place === Number(b.dataset.choose)));
    choose(says === 'waits' || !next ? chosen : next.dataset.choose);
  };

  UK.on('look', (d) => {
    if (d.held.length) $('v-held').textContent = d.held.map((h) => h.why).join(' ');
    for (const h of d.held) for (const [place, id] of mine) if (id === h.id) mine.delete(place);
    document.body.dispatchEvent(new CustomEvent('looked'));
    return true;
  });
  UK.watch(show);
  document.addEventListener('htmx:afterSwap', (e) => {
    if (e.target.id !== 'seats') return;
    // What the server knows is newer than what this phone remembers, once nothing is on its way.
    for (const place of [...mine.keys()]) if (!pending().some((x) => x.body.place === place)) mine.delete(place);
    show();
  });
  // The board is not asked for without a line: what is shown is as it was, and says so.
  document.addEventListener('htmx:beforeRequest', (e) => {
    if (e.target.id === 'seats' && UK.reach() === 'off') e.preventDefault();
  });
  board.addEventListener('click', (e) => {
    const s = e.target.closest('.seat');
    const c = e.target.closest('[data-choose]');
    const v = e.target.closest('[data-says]');
    if (s) choose(s.dataset.place);
    else if (c) choose(c.dataset.choose);
    else if (v) look(v.dataset.says);
  });
  document.addEventListener('keydown', (e) => {
    if (e.ctrlKey || e.altKey || e.metaKey || !chosen || 'keysOff' in document.body.dataset) return;
    if (e.target.closest('input, textarea, select')) return;
    const box = $('v-buttons').hidden ? $('v-bound') : $('v-buttons');
    const b = box.hidden ? null : [...box.querySelectorAll('[data-says]')].find((x) => x.querySelector('kbd').textContent === e.key);
    if (b) look(b.dataset.says);
    else if (e.key === 'w' || e.key === 'W') look('waits');
    else if (e.key === 'Backspace') look('undo');
    else return;
    e.preventDefault();
    e.stopImmediatePropagation();
  }, true);
  document.addEventListener('DOMContentLoaded', show);
  show();
})();
