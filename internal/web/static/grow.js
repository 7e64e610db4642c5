// The walk: what is done on a bed is kept in the browser's store, one entry each,
// until the server says that it is on its disk.
(() => {
  'use strict';

  const walk = document.getElementById('walk');
  if (!walk) return;
  const $ = (id) => document.getElementById(id);
  const acts = () => UK.items((x) => x.kind === 'act');
  const undoable = []; // acts made on this page that can be taken back, with what shows them

  const show = () => {
    const n = acts().length;
    const line = $('line');
    const reach = UK.reach();
    const red = UK.alarm();
    line.className = `line ${red ? 'red' : reach === 'on' && !n ? 'on' : reach}`;
    line.textContent = red || (reach === 'out' ? `Signed out: ${n} wait on this phone` : reach === 'off' ?
      `The line is down: ${n} wait on this phone`
      : n ? `Sending ${n}` : 'All safe');
    $('takeback').disabled = !undoable.length;
  };
  UK.watch(show);

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
      const again = { ...act, id: UK.uuid(), reason: why.value.trim() };
      put(again, act.mark || null);
    });
    say.append(why, keep);
    why.focus();
  };

  UK.on('act', (act, x) => {
    if (act) refused(act, x);
    else $('walk-says').textContent = x.why;
    return true;
  });

  // put keeps an act on the device and sends it; back puts the page as it was.
  const put = (act, back) => {
    if (act.kind !== 'undo') undoable.push({ act, back: back || (() => {}) });
    UK.put('act', act);
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

  // A page kept on this device does not know what was done since: this does.
  const nameOf = (step) => `${step.closest('.stop').dataset.place}|${step.dataset.round || step.dataset.knot}${step.dataset.old || ''}`;
  const kept = Number(document.body.dataset.kept || 0);
  const done = UK.parse(UK.read('uk-walked')) || {};
  const noteDone = (step, is) => {
    if (is) done[nameOf(step)] = Date.now();
    else delete done[nameOf(step)];
    for (const k of Object.keys(done)) if (done[k] < Date.now() - 3 * 864e5) delete done[k];
    UK.write('uk-walked', JSON.stringify(done));
  };
  const finish = (step) => {
    step.classList.add('isdone');
    noteDone(step, true);
    dots();
    return () => { step.classList.remove('isdone'); noteDone(step, false); dots(); };
  };
  if (kept) for (const step of walk.querySelectorAll('.stopstep')) if (done[nameOf(step)] > kept) step.classList.add('isdone');

  // Done on another day than today: yesterday's paper.
  const onDay = () => {
    const on = $('walk-on')?.value;
    if (!on || on === $('walk-on').max) return {};
    return { on };
  };
  const needs = (field) => {
    $('walk-says').textContent = 'Say where the potted trees stand now.';
    field.focus();
  };

  for (const stop of walk.querySelectorAll('.stop')) {
    for (const step of stop.querySelectorAll('.stopstep')) {
      const doneWith = (items) => {
        const act = { id: UK.uuid(), kind: 'done', knot: step.dataset.knot, items, ...onDay() };
        const where = step.querySelector('.to');
        const to = where?.value.trim();
        if (where?.dataset.needed && !to) { needs(where); return false; }
        if (to) act.place = to;
        put(act, finish(step));
        return true;
      };
      step.querySelector('.whole')?.addEventListener('click', () => {
        if (step.classList.contains('isdone')) return;
        if (step.dataset.round) put({ id: UK.uuid(), kind: 'round', round: Number(step.dataset.round) }, finish(step));
        else doneWith(JSON.parse(step.dataset.items));
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
        const act = { id: UK.uuid(), kind: 'done', knot: step.dataset.knot, items, ...onDay() };
        const where = step.querySelector('.to');
        const to = where?.value.trim();
        if (where?.dataset.needed && !to) { needs(where); return; }
        if (to) act.place = to;
        if (!rest.length) { put(act, finish(step)); return; }
        step.dataset.items = JSON.stringify(rest);
        on.forEach((b) => { b.hidden = true; b.setAttribute('aria-pressed', 'false'); });
        those.disabled = true;
        put(act, () => { step.dataset.items = JSON.stringify(all); on.forEach((b) => { b.hidden = false; }); });
      });
    }
    const alive = stop.querySelector('[data-alive]');
    // One tree fewer stands here: lost to a cause, or below the grade.
    const less = (act, count, back) => {
      if (Number(alive.textContent) < 1) { $('walk-says').textContent = 'No trees are left here.'; back(); return; }
      const by = (n) => { count.textContent = Number(count.textContent) + n; alive.textContent = Number(alive.textContent) - n; };
      by(1);
      put({ id: UK.uuid(), n: 1, ...act }, () => { by(-1); back(); });
    };
    // Of a bed with several tags it is asked of which: no tree is booked on a tag that nobody named.
    const which = stop.querySelector('.lostof');
    const tags = which ? [...which.querySelectorAll('[data-code]')] : [];
    let asked = null;
    const ofTag = (says, act, count) => {
      const standing = tags.filter((b) => Number(b.querySelector('[data-stands]').textContent) > 0
        && (!act.codes || act.codes.includes(b.dataset.code)));
      if (standing.length === 1) { loseOf(standing[0], act, count); return; }
      asked = { act, count };
      which.querySelector('[data-asks]').textContent = `${says}: which tag?`;
      for (const b of tags) b.hidden = !standing.includes(b);
      which.hidden = false;
      which.scrollIntoView({ block: 'nearest' });
    };
    const loseOf = (b, act, count) => {
      const stands = b.querySelector('[data-stands]');
      const { codes, ...rest } = act;
      const by = (n) => { stands.textContent = Number(stands.textContent) - n; };
      by(1);
      less({ ...rest, items: [{ code: b.dataset.code }] }, count, () => by(-1));
      which.hidden = true;
    };
    for (const b of tags) b.addEventListener('click', () => { if (asked) loseOf(b, asked.act, asked.count); asked = null; });
    const lose = (cause, count) => ofTag(`Lost: ${cause}`, { kind: 'lost', cause, ...onDay() }, count);
    for (const b of stop.querySelectorAll('.below')) {
      const codes = JSON.parse(b.closest('.stopstep').dataset.items).map((x) => x.code);
      b.addEventListener('click', () => ofTag('Below grade', { kind: 'below', codes, ...onDay() }, b.querySelector('b')));
    }
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
    if (acts().some((x) => x.id === last.act.id && !x.tried)) {
      UK.drop(last.act.id); // it never left this phone
      show();
      return;
    }
    put({ id: UK.uuid(), kind: 'undo', undoes: last.act.id });
  });

  const named = decodeURIComponent(location.hash.slice(1));
  go(Math.max(0, stops.findIndex((s) => s.dataset.place === named)));
  show();
  UK.flush();
})();
