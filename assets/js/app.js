// Keys, workings and forms: what every page shares.
(() => {
  'use strict';

  const typing = (el) => el && el.closest('input:not([type=checkbox]):not([type=radio]), textarea, select, [contenteditable]');
  const closeWorkings = (but) => {
    let closed = false;
    for (const d of document.querySelectorAll('details.figure[open], details.who[open]')) {
      if (d !== but) {
        d.open = false;
        closed = true;
        if (d.contains(document.activeElement)) d.querySelector('summary').focus();
      }
    }
    return closed;
  };

  document.querySelector('.stages > a[aria-current]')?.scrollIntoView({ block: 'nearest', inline: 'center' });

  // What was done by one tap is offered to be taken back for so many seconds.
  for (const f of document.querySelectorAll('[data-back]')) {
    setTimeout(() => {
      if ('old' in f.dataset) f.remove();
      else f.querySelector('form')?.remove();
    }, 1000 * f.dataset.back);
  }

  // A view is kept as the address has it by then.
  document.addEventListener('submit', (e) => {
    if (e.target.matches('[data-view]')) e.target.elements.query.value = location.search.slice(1);
  });

  // A table wider than the page is scrolled by keys too.
  const reachable = () => {
    for (const e of document.querySelectorAll('.scroll')) {
      if (e.scrollWidth > e.clientWidth) e.tabIndex = 0;
      else e.removeAttribute('tabindex');
    }
  };
  reachable();
  addEventListener('resize', reachable);
  document.addEventListener('htmx:afterSettle', reachable);

  document.addEventListener('keydown', (e) => {
    if (e.ctrlKey || e.altKey || e.metaKey || e.isComposing) return;
    if (e.key === 'Escape') {
      const found = document.getElementById('found');
      if (found && found.firstChild) found.replaceChildren();
      if (closeWorkings(null)) e.preventDefault();
      return;
    }
    if (typing(e.target) || 'keysOff' in document.body.dataset) return;
    if (e.key === '/') {
      const find = document.getElementById('find');
      if (find) {
        e.preventDefault();
        find.focus();
        find.select();
      }
      return;
    }
    if (e.key === '?') {
      document.getElementById('keys')?.showModal();
      return;
    }
    if (/^[0-9]$/.test(e.key) && !document.querySelector('dialog[open]')) {
      document.querySelector(`.stages > a[data-key="${e.key}"]`)?.click();
    }
  });

  window.addEventListener('load', () => {
    if (document.querySelector('[data-print-now]')) window.print();
  });

  document.addEventListener('click', (e) => {
    const t = e.target;
    if (t.closest('[data-keys]')) document.getElementById('keys').showModal();
    if (t.closest('[data-print]')) window.print();
    const close = t.closest('[data-close]');
    if (close) {
      const d = close.closest('details');
      d.open = false;
      d.querySelector('summary').focus();
    } else if (!t.closest('details.figure, details.who')) {
      closeWorkings(null);
    }
    if (!t.closest('.find')) document.getElementById('found')?.replaceChildren();
  });

  // One working is open at a time. It takes the focus, and gives it back to its
  // figure when it is closed.
  document.addEventListener('toggle', (e) => {
    const d = e.target;
    if (!d.matches?.('details.figure')) return;
    const working = d.querySelector('.working');
    if (d.open) {
      closeWorkings(d);
      if (working && document.activeElement === d.querySelector('summary')) {
        working.tabIndex = -1;
        working.focus({ preventScroll: true });
      }
    }
  }, true);

  // A part that could not be fetched says so, until one is fetched again.
  const unfetched = document.getElementById('unfetched');
  const say = (text) => {
    if (!unfetched) return;
    unfetched.textContent = text;
    unfetched.hidden = !text;
  };
  for (const name of ['htmx:sendError', 'htmx:timeout']) {
    document.addEventListener(name, () => say('The server cannot be reached: what is shown is as it was. Try again in a moment.'));
  }
  document.addEventListener('htmx:responseError', (e) => {
    if (e.detail.xhr.status !== 401) {
      say(`The server could not answer this (${e.detail.xhr.status}): what is shown is as it was. Load the page anew.`);
    }
  });
  document.addEventListener('htmx:afterOnLoad', () => say(''));

  document.addEventListener('change', (e) => {
    if (e.target.matches('[data-send]')) e.target.form.requestSubmit();
  });

  // A slider says where it stands.
  document.addEventListener('input', (e) => {
    if (e.target.matches('[data-says]')) e.target.closest('.field').querySelector('output').textContent = e.target.value;
  });

  // A form goes once. The server knows a form's own key as well; this saves
  // the second wait.
  document.addEventListener('submit', (e) => {
    if (e.defaultPrevented || e.target.method !== 'post') return;
    if (e.target.dataset.sent) {
      e.preventDefault();
      return;
    }
    e.target.dataset.sent = '1';
  });
  // Coming back by the back button: the form may go again.
  window.addEventListener('pageshow', () => {
    for (const f of document.querySelectorAll('form[data-sent]')) delete f.dataset.sent;
  });

  document.addEventListener('alpine:init', () => {
    Alpine.data('house', () => ({}));

    // Tags that are stood elsewhere to heal: a scanned code ticks its tag.
    Alpine.data('standing', () => ({
      n: 0, last: '',
      init() {
        this.tally();
        this.$root.addEventListener('change', () => this.tally());
      },
      boxes() { return [...this.$root.querySelectorAll('input[name="tag"]')]; },
      tally() { this.n = this.boxes().filter((b) => b.checked).length; },
      get says() {
        const n = this.n === 1 ? '1 tag chosen.' : `${this.n} tags chosen.`;
        return this.last + (this.n ? n : 'or tick them below');
      },
      scan() {
        const code = this.$refs.scan.value.toUpperCase().replace(/[^A-Z0-9]/g, '');
        this.$refs.scan.value = '';
        if (!code) return;
        const box = this.boxes().find((b) => b.value.replace(/[^A-Z0-9]/g, '') === code);
        this.last = box ? `${box.value}. ` : `${code} does not heal here. `;
        if (box) {
          box.checked = true;
          box.closest('details').open = true;
          this.tally();
        }
      },
      whole(e) {
        for (const b of e.currentTarget.closest('section').querySelectorAll('input[name="tag"]')) b.checked = true;
        for (const d of e.currentTarget.closest('section').querySelectorAll('details')) d.open = true;
        this.tally();
      },
    }));

    // Steps noted as done on another day than today: the day goes with each of them.
    Alpine.data('doneon', () => ({
      set() {
        const on = this.$root.querySelector('#done-on');
        for (const i of this.$root.querySelectorAll('[data-on]')) i.value = on.value === on.max ? '' : on.value;
      },
    }));

    // Trees of several tags: the fields that an act has, and how many are typed.
    Alpine.data('trees', () => ({
      says: '',
      init() { this.chosen(); },
      kind() { return this.$root.querySelector('input[name=kind]:checked')?.value || this.$root.dataset.kind; },
      chosen() {
        const kind = this.kind();
        for (const p of this.$root.querySelectorAll('[data-for]')) p.hidden = !p.dataset.for.split(' ').includes(kind);
        const typed = [...this.$root.querySelectorAll('input[name^="trees:"]')].map((i) => Math.trunc(Number(i.value)) || 0);
        const n = typed.reduce((a, b) => a + b, 0);
        this.says = n ? `${n} trees of ${typed.filter((x) => x > 0).length} tags` : '';
      },
      fill(row) {
        const there = this.kind() === 'returned' ? row.querySelector('[data-sent]').dataset.sent
          : row.querySelector('[data-standing]').dataset.standing;
        row.querySelector('input[name^="trees:"]').value = there === '0' ? '' : there;
      },
      all(e) { this.fill(e.currentTarget.closest('tr')); this.chosen(); },
      whole() { for (const row of this.$root.querySelectorAll('tbody tr')) this.fill(row); this.chosen(); },
    }));

    // The counts of a place: what is left of each tag is alive, shown where nothing is typed.
    Alpine.data('placecount', () => ({
      says: '',
      init() { this.tally(); },
      tally() {
        const num = (i) => Math.max(0, Math.trunc(Number(i.value)) || 0);
        let alive = 0; let doubtful = 0; let dead = 0; let tags = 0;
        for (const tr of this.$root.querySelectorAll('tr[data-stood]')) {
          const field = (k) => tr.querySelector(`input[name^="${k}:"]`);
          const inputs = [...tr.querySelectorAll('input:not([type=hidden])')];
          if (!inputs.length) continue;
          const died = inputs.filter((i) => i.classList.contains('dead')).reduce((n, i) => n + num(i), 0);
          const unsure = num(field('doubtful'));
          const typed = inputs.some((i) => i.value !== '');
          const left = Number(tr.dataset.stood) - died - unsure;
          field('taken').placeholder = typed ? String(Math.max(0, left)) : 'rest';
          const fit = field('taken').value === '' ? left : left - num(field('taken'));
          const rest = tr.nextElementSibling;
          rest.hidden = !typed || fit <= 0 || field('taken').value === '';
          for (const r of rest.querySelectorAll('input[type=radio]')) r.required = !rest.hidden;
          if (!typed) continue;
          tags += 1; dead += died; doubtful += unsure;
          alive += field('taken').value === '' ? Math.max(0, left) : num(field('taken'));
        }
        this.says = tags ? `${tags === 1 ? '1 tag' : `${tags} tags`}: ${alive} alive, ${doubtful} doubtful, ${dead} dead.` : '';
      },
    }));

    // The count of takes of one tag: what is left, and the take so far.
    Alpine.data('count', () => ({
      tied: 0, taken: 0, doubtful: 0, dead: 0,
      init() {
        const d = this.$root.dataset;
        for (const k of ['tied', 'taken', 'doubtful', 'dead']) this[k] = Number(d[k]) || 0;
      },
      num(v) { return Math.max(0, Math.trunc(Number(v)) || 0); },
      get all() { return this.num(this.taken) + this.num(this.doubtful) + this.num(this.dead); },
      get left() { return this.tied - this.all; },
      get over() { return this.left < 0; },
      get asks() { return this.all > 0 && this.left > 0; },
      get says() {
        // What it says stands in the page, in the tongue of the page.
        const d = this.$root.dataset;
        if (this.left < 0) return d.textOver.replace('{n}', -this.left);
        const share = Math.round(100 * this.num(this.taken) / this.all);
        const so = this.all ? d.textShare.replace('{n}', share).replace('{m}', this.all) + ' ' : '';
        return so + (this.left ? d.textLeft.replace('{n}', this.left).replace('{m}', this.tied) : d.textAll);
      },
      bump(e) {
        const { kind, by } = e.currentTarget.dataset;
        if (by === 'rest') this[kind] = this.num(this[kind]) + Math.max(0, this.left);
        else this[kind] = Math.max(0, this.num(this[kind]) + Number(by));
      },
    }));
  });
})();

// Without a line: pages that were kept say how old they are, counts are kept until
// it is back, and workers change on a tablet by PIN.
(() => {
  'use strict';

  const body = document.body;
  const keptAt = Number(body.dataset.kept || 0);
  const wait = (ms) => (AbortSignal.timeout ? AbortSignal.timeout(ms) : undefined);
  const lineIsUp = () => fetch('/healthz', { cache: 'no-store', signal: wait(4000) }).then((r) => r.ok, () => false);

  const ago = (ms) => {
    const min = Math.floor(ms / 60000);
    if (min < 1) return 'just now';
    if (min < 60) return `${min} min ago`;
    const h = Math.floor(min / 60);
    return h < 48 ? `${h} h ${min % 60} min ago` : `${Math.round(h / 24)} days ago`;
  };
  const old = document.getElementById('kept');
  const age = () => {
    if (!old || !keptAt) return;
    old.hidden = false;
    old.textContent = `The line is down. This page is as it was at ${new Date(keptAt).toTimeString().slice(0, 5)}, `
      + `${ago(Date.now() - keptAt)}; what you do is kept on this device and goes when the line is back.`;
  };
  age();
  if (keptAt) {
    setInterval(age, 30000);
    // The line is back: the page as it is now, unless somebody is in the middle of it.
    const look = async () => {
      if (!(await lineIsUp())) return;
      UK.flush();
      if (old) {
        const again = document.createElement('button');
        again.type = 'button';
        again.className = 'small';
        again.textContent = 'Load it anew';
        again.addEventListener('click', () => location.reload());
        old.replaceChildren('The line is back. ', again);
      }
    };
    setInterval(look, 10000);
    addEventListener('online', look);
  }

  // A form that may be sent later: where the line is down it waits in the queue.
  document.addEventListener('submit', (e) => {
    const form = e.target;
    if (!form.matches('[data-later]') || form.dataset.up) return;
    e.preventDefault();
    e.stopImmediatePropagation();
    const by = e.submitter;
    lineIsUp().then((up) => {
      if (up) {
        form.dataset.up = '1';
        if (by) form.requestSubmit(by);
        else form.requestSubmit();
        return;
      }
      const data = new URLSearchParams(new FormData(form));
      if (by && by.name) data.append(by.name, by.value);
      UK.put('form', { id: UK.uuid(), url: form.getAttribute('action'), data: data.toString(), what: form.dataset.later });
      const said = document.createElement('p');
      said.className = 'note';
      said.setAttribute('role', 'status');
      said.textContent = `The line is down. Kept on this device: ${form.dataset.later}. It goes when the line is back.`;
      form.replaceWith(said);
      const next = data.get('next');
      if (by && by.name === 'go-next' && next) location.href = `/heal/${next}?look=${encodeURIComponent(data.get('look') || '')}`;
    });
  }, true);
  addEventListener('pageshow', () => { for (const f of document.querySelectorAll('form[data-up]')) delete f.dataset.up; });

  if (!('serviceWorker' in navigator) || !('caches' in window)) return; // on a plain http address there is none
  navigator.serviceWorker.register('/sw.js');
  const tell = (m) => navigator.serviceWorker.ready.then((r) => r.active && r.active.postMessage(m));

  // What this worker will want when the line is down.
  if (!keptAt && 'tablet' in body.dataset || !keptAt && body.dataset.person !== '0') {
    const ofTheBench = new RegExp('^/(bench/tags/[^/]+|heal/[^/?]+(\\?.*)?|heal/place\\?.*|grow/walk|' +
      'stock/lots/[^/]+/caliper|names\\?person=\\d+)(#.*)?$');
    const want = [...document.querySelectorAll('main a[href]')].map((a) => a.getAttribute('href'))
      .filter((h) => ofTheBench.test(h));
    const always = body.dataset.person === '0' ? [] : ['/bench', '/heal', '/grow/walk'];
    if ('tablet' in body.dataset && body.dataset.person !== '0') always.push('/names');
    tell({ keep: [...new Set([...always, ...want.map((h) => h.split('#')[0])])].slice(0, 80) });
  }
  for (const f of document.querySelectorAll('form[action="/sign-out"]')) {
    f.addEventListener('submit', async (e) => {
      if (f.dataset.up) return;
      e.preventDefault();
      e.stopImmediatePropagation();
      if (await lineIsUp()) {
        if (!('tablet' in body.dataset)) await caches.delete(`uk-pages-${body.dataset.person}`); // this device is not shared
        f.dataset.up = '1';
        f.requestSubmit();
      } else if ('tablet' in body.dataset) {
        await stand('0');
        location.href = '/names';
      } else {
        say('The line is down: sign out when it is back.');
      }
    }, true);
  }
  const say = (text) => {
    const el = document.getElementById('unfetched');
    if (el) { el.textContent = text; el.hidden = false; }
  };

  // Who works here now, for the pages that are shown without a line.
  const stand = async (person) => {
    const c = await caches.open('uk-meta');
    await c.put('/who', new Response(person));
    await c.put('/stands', new Response(person));
  };

  // PINs: a worker who has signed in here with the line up can do so without it. What
  // is kept is a slow hash, for two days, on a tablet that a propagator opened.
  const hash = async (pin, salt) => {
    const key = await crypto.subtle.importKey('raw', new TextEncoder().encode(pin), 'PBKDF2', false, ['deriveBits']);
    const bits = await crypto.subtle.deriveBits({ name: 'PBKDF2', hash: 'SHA-256', salt: new TextEncoder().encode(salt),
      iterations: 400000 }, key, 256);
    return Array.from(new Uint8Array(bits), (x) => x.toString(16).padStart(2, '0')).join('');
  };
  const PINS = 'uk-pins';
  const pins = () => UK.parse(UK.read(PINS)) || {};
  const keepFor = 2 * 864e5;
  const fresh = (() => { try { return UK.parse(sessionStorage.getItem('uk-pin')); } catch { return null; } })();
  if (fresh && fresh.person === body.dataset.person && !keptAt) {
    const all = pins();
    all[fresh.person] = { ...fresh, at: Date.now(), tries: 0 };
    UK.write(PINS, JSON.stringify(all));
    sessionStorage.removeItem('uk-pin');
  }
  const form = document.querySelector('form[action="/names"]');
  if (form) {
    form.addEventListener('submit', async (e) => {
      if (form.dataset.up) return;
      e.preventDefault();
      e.stopImmediatePropagation();
      const person = form.querySelector('[name="person"]').value;
      const pin = form.querySelector('[name="pin"]').value;
      if (await lineIsUp()) {
        const salt = UK.uuid();
        sessionStorage.setItem('uk-pin', JSON.stringify({ person, salt, hash: await hash(pin, salt) }));
        await (await caches.open('uk-meta')).put('/stands', new Response(''));
        form.dataset.up = '1';
        form.requestSubmit();
        return;
      }
      const all = pins();
      const p = all[person];
      if (!p || Date.now() - p.at > keepFor) {
        say('The line is down, and you have not signed in on this tablet lately: ' +
          'work on paper until it is back, or on a tablet that knows you.');
        return;
      }
      if (p.until && Date.now() < p.until) {
        say('Five wrong tries. Wait five minutes.');
        return;
      }
      if (await hash(pin, p.salt) !== p.hash) {
        p.tries += 1;
        if (p.tries >= 5) { p.tries = 0; p.until = Date.now() + 5 * 60000; }
        UK.write(PINS, JSON.stringify(all));
        say('That is not your PIN. Try again.');
        return;
      }
      p.tries = 0;
      UK.write(PINS, JSON.stringify(all));
      await stand(person);
      location.href = '/bench';
    }, true);
  }
})();
