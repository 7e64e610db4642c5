// The drawn union: the scion follows the slider, or is dragged.
(() => {
  'use strict';
  const box = document.getElementById('trainer');
  const slider = document.querySelector('input[name=laid]');
  const svg = box?.querySelector('svg');
  if (!box || !svg || !slider) return;
  const group = svg.querySelector('#laidscion');
  const per = Number(box.dataset.permm);
  const says = document.getElementById('laidsays');
  const move = () => {
    group.setAttribute('transform', `translate(0 ${-per * Number(slider.value)})`);
    says.textContent = `${Number(slider.value).toFixed(2)} mm`;
  };
  slider.addEventListener('input', move);
  let from = null;
  svg.addEventListener('pointerdown', (e) => { from = [e.clientY, Number(slider.value)]; svg.setPointerCapture(e.pointerId);
    e.preventDefault(); });
  svg.addEventListener('pointermove', (e) => {
    if (!from) return;
    const unit = svg.viewBox.baseVal.width / svg.getBoundingClientRect().width;
    slider.value = String(Math.max(0, from[1] - (e.clientY - from[0]) * unit / per));
    move();
  });
  svg.addEventListener('pointerup', () => { from = null; });
  move();
})();

// A picture of a cut, laid beside the drawn one. It is drawn here and goes nowhere.
(() => {
  'use strict';
  const file = document.getElementById('cutfile');
  const canvas = document.getElementById('cutpicture');
  if (!file || !canvas) return;
  const size = document.getElementById('cutsize');
  const turn = document.getElementById('cutturn');
  let picture = null;
  let at = [canvas.width / 2, canvas.height / 2];
  const draw = () => {
    const c = canvas.getContext('2d');
    c.setTransform(1, 0, 0, 1, 0, 0);
    c.clearRect(0, 0, canvas.width, canvas.height);
    if (!picture) return;
    const k = Number(size.value) * Math.min(canvas.width / picture.width, canvas.height / picture.height);
    c.translate(at[0], at[1]);
    c.rotate(Number(turn.value) * Math.PI / 180);
    c.drawImage(picture, -picture.width * k / 2, -picture.height * k / 2, picture.width * k, picture.height * k);
  };
  file.addEventListener('change', async () => {
    try {
      picture = file.files[0] ? await createImageBitmap(file.files[0]) : null;
      file.setCustomValidity('');
    } catch {
      picture = null;
      file.setCustomValidity('This file is no picture that can be shown: take another.');
      file.reportValidity();
    }
    canvas.dataset.shown = picture ? 'yes' : '';
    draw();
  });
  for (const x of [size, turn]) x.addEventListener('input', draw);
  let from = null;
  canvas.addEventListener('pointerdown', (e) => { from = [e.clientX - at[0], e.clientY - at[1]]; canvas.setPointerCapture(e.pointerId); });
  canvas.addEventListener('pointermove', (e) => { if (from) { at = [e.clientX - from[0], e.clientY - from[1]]; draw(); } });
  canvas.addEventListener('pointerup', () => { from = null; });
})();
