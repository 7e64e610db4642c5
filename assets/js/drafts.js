// What is typed into a longer form stays on this device until it is kept by the server: a
// tab that is closed, a line that is lost and a machine that stops lose none of it. It is
// of one person and one form; secrets and files are never in it.
(() => {
  'use strict';
  const person = document.body.dataset.person;
  if (!person || person === '0') return;

  const PREFIX = 'uk-draft:';
  const KEPT_DAYS = 14;
  const NOT_TYPED = ['hidden', 'password', 'file', 'submit', 'button', 'search'];
  const fields = (form) => [...form.elements].filter((e) => e.name && !NOT_TYPED.includes(e.type));
  const long = (form) => form.method === 'post' && !form.dataset.later && !form.querySelector('input[type=password], input[type=file]')
    && fields(form).filter((e) => !['checkbox', 'radio'].includes(e.type)).length >= 4;
  const values = (form) => fields(form).map((e) => [e.name, e.value, ['checkbox', 'radio'].includes(e.type) ? e.checked : null]);
  const keyOf = (form) => PREFIX + person + ':' + location.pathname + ':' + (form.getAttribute('action') || '');
  const read = (key) => {
    try {
      return JSON.parse(localStorage.getItem(key));
    } catch {
      return null;
    }
  };
  const write = (key, draft) => {
    try {
      localStorage.setItem(key, JSON.stringify(draft));
    } catch { /* a full store: the page itself still has it */ }
  };

  // What the server took is said in a line at the top of the next page of the tab that sent it.
  const SENT = 'uk-sent';
  const sent = sessionStorage.getItem(SENT);
  if (sent && document.querySelector('.flash')) {
    localStorage.removeItem(sent);
    sessionStorage.removeItem(SENT);
  }
  const old = Date.now() - KEPT_DAYS * 864e5;
  for (const key of Object.keys(localStorage).filter((k) => k.startsWith(PREFIX))) {
    const d = read(key);
    if (!d || d.at < old) localStorage.removeItem(key);
  }

  const put = (form, draft) => {
    for (const e of fields(form)) {
      const i = draft.values.findIndex(([name, value, checked]) => name === e.name && (checked === null || value === e.value));
      if (i < 0) continue;
      const [, value, checked] = draft.values.splice(i, 1)[0];
      if (checked === null) e.value = value;
      else e.checked = checked;
      e.dispatchEvent(new Event(checked === null ? 'input' : 'change', { bubbles: true }));
    }
  };

  const offer = (form, key, draft) => {
    const bar = document.createElement('p');
    bar.className = 'note draft';
    bar.setAttribute('role', 'status');
    const when = new Date(draft.at).toLocaleString([], { dateStyle: 'medium', timeStyle: 'short' });
    const says = draft.sent ? 'This was sent, and no answer came. Look whether it is there; if not, bring it back. Typed '
      : 'You had typed something here, and it was not kept yet. Typed ';
    bar.append(says + when + '. ');
    const button = (text, act) => {
      const b = document.createElement('button');
      b.type = 'button';
      b.className = 'small';
      b.textContent = text;
      b.addEventListener('click', () => {
        bar.remove();
        act();
      });
      bar.append(b, ' ');
    };
    button('Bring it back', () => {
      put(form, draft);
      fields(form)[0]?.focus();
    });
    button('Throw it away', () => localStorage.removeItem(key));
    form.prepend(bar);
    const fold = form.closest('details');
    if (fold) fold.open = true;
  };

  for (const form of [...document.forms].filter(long)) {
    const key = keyOf(form);
    const draft = read(key);
    if (form.querySelector('.wrong, .problem')) localStorage.removeItem(key); // what was typed stands in the form
    else if (draft) offer(form, key, draft);
    const first = JSON.stringify(values(form));
    let waits = 0;
    const save = () => {
      clearTimeout(waits);
      waits = 0;
      const now = values(form);
      if (JSON.stringify(now) === first) localStorage.removeItem(key);
      else write(key, { at: Date.now(), values: now });
    };
    const soon = (e) => {
      if (!e.isTrusted && !e.target.form) return;
      clearTimeout(waits);
      waits = setTimeout(save, 250);
    };
    form.addEventListener('input', soon);
    form.addEventListener('change', soon);
    addEventListener('pagehide', () => waits && save());
    form.addEventListener('submit', () => {
      save();
      const d = read(key);
      if (!d) return;
      write(key, { ...d, sent: true });
      sessionStorage.setItem(SENT, key);
    });
  }

  for (const form of document.querySelectorAll('form[action="/sign-out"]')) {
    form.addEventListener('submit', () => {
      for (const k of Object.keys(localStorage).filter((x) => x.startsWith(PREFIX + person + ':'))) localStorage.removeItem(k);
    });
  }
})();
