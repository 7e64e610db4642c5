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
    if (e.detail.xhr.status !== 401) say(`The server could not answer this (${e.detail.xhr.status}): what is shown is as it was. Load the page anew.`);
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
      get says() {
        if (this.left < 0) return `${-this.left} more than were tied: look again.`;
        const share = this.all ? `${Math.round(100 * this.num(this.taken) / this.all)} % took of ${this.all} counted. ` : '';
        return share + (this.left ? `${this.left} of ${this.tied} still to count.` : 'All counted.');
      },
      bump(e) {
        const { kind, by } = e.currentTarget.dataset;
        if (by === 'rest') this[kind] = this.num(this[kind]) + Math.max(0, this.left);
        else this[kind] = Math.max(0, this.num(this[kind]) + Number(by));
      },
    }));
  });
})();
