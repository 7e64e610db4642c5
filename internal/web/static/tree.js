// A tree's drawing: limbs are dragged or moved by the arrows, and a click beside the trunk
// begins a new one. Coordinates are thousandths of the drawing, as they are kept.
(() => {
  const box = document.getElementById('treedrawing');
  const svg = box?.querySelector('svg');
  if (!svg) return;
  const W = 660, H = 560, X = W / 2, ground = H - 16, top = 62;
  const says = document.getElementById('treesays');
  const at = (x, y) => [30 + (W - 60) * x / 1000, ground - (ground - top) * y / 1000];
  const back = (px, py) => [Math.round((px - 30) / (W - 60) * 1000),
    Math.round((ground - py) / (ground - top) * 1000)].map((n) => Math.max(0, Math.min(1000, n)));
  const point = (e) => {
    const r = svg.getBoundingClientRect();
    return [(e.clientX - r.left) / r.width * W, (e.clientY - r.top) / r.height * H];
  };
  const draw = (tip) => {
    const [x, y] = at(Number(tip.dataset.x), Number(tip.dataset.y));
    const fy = at(0, Number(tip.dataset.from))[1];
    for (const g of [tip, svg.querySelector(`#says-${tip.dataset.letter}`)]) g.setAttribute('transform', `translate(${x} ${y})`);
    svg.querySelector(`#limb-${tip.dataset.letter}`).setAttribute('d',
      `M${X} ${fy} Q${X + 0.75 * (x - X)} ${fy - 0.25 * (fy - y)} ${x} ${y}`);
    const on = svg.querySelector(`#on-${tip.dataset.letter}`);
    if (on) on.style.visibility = 'hidden'; // its grafts are drawn anew with the page
  };
  const keep = async (tip) => {
    const d = tip.dataset;
    try {
      const r = await fetch(`/trees/${encodeURIComponent(box.dataset.code)}/limbs/${d.letter}/shape`, {
        method: 'POST', headers: { 'Content-Type': 'application/x-www-form-urlencoded' },
        body: new URLSearchParams({ from_y: d.from, tip_x: d.x, tip_y: d.y }),
      });
      says.textContent = r.ok ? `Limb ${d.letter} is kept so.` : `Limb ${d.letter} could not be kept: load the page again.`;
      box.dataset.kept = r.ok ? String(Number(box.dataset.kept || 0) + 1) : '';
    } catch {
      says.textContent = `No line: limb ${d.letter} is not kept. Move it again when the line is back.`;
    }
  };
  let held = null, moved = false;
  for (const tip of svg.querySelectorAll('.limbtip[data-letter]')) {
    tip.addEventListener('pointerdown', (e) => { held = tip; moved = false; tip.setPointerCapture(e.pointerId); e.preventDefault();
      tip.focus(); });
    tip.addEventListener('pointermove', (e) => {
      if (held !== tip) return;
      moved = true;
      [tip.dataset.x, tip.dataset.y] = back(...point(e)).map(String);
      draw(tip);
    });
    tip.addEventListener('pointerup', () => { if (held === tip && moved) keep(tip); held = null; });
    let wait = 0;
    tip.addEventListener('keydown', (e) => {
      const by = { ArrowLeft: [-15, 0], ArrowRight: [15, 0], ArrowUp: [0, 15], ArrowDown: [0, -15] }[e.key];
      if (!by) return;
      e.preventDefault();
      tip.dataset.x = String(Math.max(0, Math.min(1000, Number(tip.dataset.x) + by[0])));
      tip.dataset.y = String(Math.max(0, Math.min(1000, Number(tip.dataset.y) + by[1])));
      draw(tip);
      clearTimeout(wait);
      wait = setTimeout(() => keep(tip), 500);
    });
  }
  if (!('draws' in box.dataset)) return;
  svg.addEventListener('click', (e) => {
    if (moved || e.target.closest('.limbtip')) { moved = false; return; }
    const [px, py] = point(e);
    if (Math.abs(px - X) < 24 || py > ground) return;
    const [x, y] = back(px, py);
    const form = document.getElementById('newlimb');
    form.open = true;
    form.querySelector('[name=tip_x]').value = x;
    form.querySelector('[name=tip_y]').value = y;
    form.querySelector('[name=from_y]').value = Math.max(80, Math.round(y * 0.45));
    form.querySelector('[name=name]').focus();
    form.scrollIntoView({ block: 'center' });
  });
})();
