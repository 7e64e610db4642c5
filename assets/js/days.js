// The bench days: tags are dragged to another half-day or hand, or lifted and
// carried with the arrow keys. The server moves them and answers with the
// plan checked again; until it has answered nothing has moved.
(() => {
  'use strict';

  const root = () => document.getElementById('days');
  const cellOf = (chip) => chip.closest('.cell');
  const says = (text) => { const p = document.getElementById('chip-says'); if (p) p.textContent = text; };
  let lifted = null; // { chip, cell }

  const send = (path, values) => {
    const before = root();
    return htmx.ajax('POST', path, { values: { from: before.dataset.from, ...values }, source: before, target: before, swap: 'outerHTML' })
      .then(() => {
        if (root() === before) throw new Error('nothing came');
        const first = values.codes.split(' ')[0];
        const chip = [...document.querySelectorAll('.chip')].find((c) => c.dataset.codes.split(' ').includes(first));
        if (chip) { chip.focus(); says(root().querySelector('.problem') ? root().querySelector('.problem').textContent :
          chip.dataset.says); }
      })
      .catch(() => says('The line is down: nothing was moved. Try again.'));
  };
  const drop = (chip, cell) => {
    lift(null);
    if (!cell || cell === cellOf(chip)) return;
    says('Moving…');
    send('/bench/days/move', { codes: chip.dataset.codes, worker: cell.dataset.worker, day: cell.dataset.day, half: cell.dataset.half });
  };
  const aim = (cell) => {
    for (const c of document.querySelectorAll('.cell.target')) c.classList.remove('target');
    if (cell) cell.classList.add('target');
  };
  const lift = (chip) => {
    if (lifted) { lifted.chip.classList.remove('lifted'); lifted.chip.removeAttribute('aria-pressed'); }
    aim(null);
    lifted = chip ? { chip, cell: cellOf(chip) } : null;
    if (chip) {
      chip.classList.add('lifted');
      chip.setAttribute('aria-pressed', 'true');
      aim(lifted.cell);
    }
  };
  // next finds the cell beside another: along its row, or in the row above or
  // below.
  const next = (cell, key) => {
    if (key === 'ArrowLeft' || key === 'ArrowRight') {
      const c = key === 'ArrowLeft' ? cell.previousElementSibling : cell.nextElementSibling;
      return c && c.matches('.cell') ? c : cell;
    }
    const row = key === 'ArrowUp' ? cell.parentElement.previousElementSibling : cell.parentElement.nextElementSibling;
    const c = row && row.children[cell.cellIndex];
    return c && c.matches('.cell') ? c : cell;
  };

  document.addEventListener('keydown', (e) => {
    const chip = e.target.closest?.('button.chip');
    if (!chip || e.ctrlKey || e.metaKey || e.altKey) return;
    if (e.key === 'Enter' || e.key === ' ') {
      e.preventDefault();
      if (lifted && lifted.chip === chip) drop(chip, lifted.cell);
      else { choose(chip); lift(chip); says(`Lifted: ${chip.dataset.says} Carry it with the arrows, Enter sets it down.`); }
    } else if (lifted && e.key.startsWith('Arrow')) {
      e.preventDefault();
      lifted.cell = next(lifted.cell, e.key);
      aim(lifted.cell);
      lifted.cell.scrollIntoView({ block: 'nearest', inline: 'nearest' });
      says(lifted.cell.dataset.says);
    } else if (e.key === 'Escape' && lifted) {
      e.stopPropagation();
      lift(null);
      says('Left where it was.');
    } else if (e.key === 'l' || e.key === 'L') {
      e.preventDefault();
      e.stopPropagation();
      send('/bench/days/lock', { codes: chip.dataset.codes, lock: chip.dataset.locked === 'true' ? 'no' : 'yes' });
    }
  }, true);

  document.addEventListener('focusin', (e) => {
    const chip = e.target.closest?.('.chip');
    if (!chip || !root()) return;
    if (!lifted) says(chip.dataset.says);
  });

  // choose sets the form beneath the days to a run of tags.
  const choose = (chip) => {
    const form = document.getElementById('chip-form');
    if (!form) return;
    const cell = cellOf(chip);
    form.hidden = false;
    form.elements.codes.value = chip.dataset.codes;
    form.elements.worker.value = cell.dataset.worker;
    form.elements.day.value = cell.dataset.day;
    form.elements.half.value = cell.dataset.half;
    for (const c of document.querySelectorAll('.chip.chosen')) c.classList.remove('chosen');
    chip.classList.add('chosen');
  };

  document.addEventListener('pointerdown', (e) => {
    const chip = e.target.closest?.('button.chip');
    if (!chip || e.button > 0) return;
    const at = { x: e.clientX, y: e.clientY };
    let dragging = false;
    const over = (m) => document.elementsFromPoint(m.clientX, m.clientY).find((n) => n.matches('.cell'));
    const drag = (m) => {
      if (!dragging && Math.hypot(m.clientX - at.x, m.clientY - at.y) > 6) { dragging = true; lift(chip); }
      if (dragging) { m.preventDefault(); aim(over(m) || null); }
    };
    const end = (m) => {
      document.removeEventListener('pointermove', drag);
      document.removeEventListener('pointerup', end);
      document.removeEventListener('pointercancel', end);
      if (dragging) drop(chip, m.type === 'pointerup' ? over(m) : null);
      else if (m.type === 'pointerup') choose(chip);
    };
    document.addEventListener('pointermove', drag);
    document.addEventListener('pointerup', end);
    document.addEventListener('pointercancel', end);
  });

  // In the sheet that is keyed in, Enter goes on to the next line.
  document.addEventListener('keydown', (e) => {
    if (e.key !== 'Enter' || !e.target.matches?.('.keyform input')) return;
    const column = e.target.name.split('-')[0];
    const all = [...document.querySelectorAll(`.keyform input[name^="${column}-"]`)];
    const n = all[all.indexOf(e.target) + 1];
    if (n) { e.preventDefault(); n.focus(); n.select?.(); }
  });
})();
