// The usual dates on the season's drawing: a flag is dragged, or moved a day by
// the arrow keys; the day goes into the form beneath, which keeps it.
(() => {
  'use strict';

  const flags = document.querySelectorAll('.usual[tabindex]');
  if (!flags.length) return;
  const form = document.querySelector('.usualform');
  const months = ['January', 'February', 'March', 'April', 'May', 'June', 'July', 'August', 'September', 'October', 'November', 'December'];
  const day = 86400000;

  const state = (g) => {
    const d = g.dataset;
    const from = Date.UTC(+d.year, 0, 1), to = Date.UTC(+d.year + 1, 0, 1);
    return { from, days: Math.round((to - from) / day), left: +d.left, right: +d.right, at: +d.x };
  };
  const says = (t) => `${t.getUTCDate()} ${months[t.getUTCMonth()]}`;

  // move sets a flag on the n-th day of its year, counted from 0.
  const move = (g, n) => {
    const s = state(g);
    n = Math.max(0, Math.min(s.days - 1, Math.round(n)));
    const t = new Date(s.from + n * day);
    const x = s.left + (s.right - s.left) * n / s.days;
    g.setAttribute('transform', `translate(${x - s.at} 0)`);
    g.setAttribute('aria-valuenow', n + 1);
    g.setAttribute('aria-valuetext', says(t));
    const input = document.getElementById(`on-${g.dataset.anchor}`);
    input.value = says(t);
    input.classList.toggle('moved', input.value !== input.dataset.was);
  };
  const now = (g) => +g.getAttribute('aria-valuenow') - 1;

  for (const g of flags) {
    g.addEventListener('keydown', (e) => {
      const by = { ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1, PageUp: 7, PageDown: -7 }[e.key];
      if (!by) return;
      e.preventDefault();
      move(g, now(g) + by);
    });
    g.addEventListener('pointerdown', (e) => {
      e.preventDefault();
      g.focus();
      g.setPointerCapture(e.pointerId);
      const svg = g.ownerSVGElement;
      const s = state(g);
      const perDay = (s.right - s.left) / s.days * svg.getBoundingClientRect().width / svg.viewBox.baseVal.width;
      const start = e.clientX, n = now(g);
      const drag = (m) => move(g, n + (m.clientX - start) / perDay);
      const end = () => {
        g.removeEventListener('pointermove', drag);
        g.removeEventListener('pointerup', end);
        g.removeEventListener('pointercancel', end);
      };
      g.addEventListener('pointermove', drag);
      g.addEventListener('pointerup', end);
      g.addEventListener('pointercancel', end);
    });
  }
  // What was typed moves the flag, where it is a day.
  form.addEventListener('change', (e) => {
    const m = /^on-(\d+)$/.exec(e.target.id);
    const g = m && document.querySelector(`.usual[data-anchor="${m[1]}"]`);
    if (!g) return;
    const t = Date.parse(`${e.target.value} ${g.dataset.year} UTC`);
    if (!Number.isNaN(t)) move(g, (t - state(g).from) / day);
  });
  form.addEventListener('reset', () => setTimeout(() => {
    for (const g of flags) {
      g.removeAttribute('transform');
      const s = state(g);
      g.setAttribute('aria-valuenow', Math.round((s.at - s.left) / (s.right - s.left) * s.days) + 1);
      document.getElementById(`on-${g.dataset.anchor}`).classList.remove('moved');
    }
  }));
})();
