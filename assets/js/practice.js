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
  svg.addEventListener('pointerdown', (e) => { from = [e.clientY, Number(slider.value)]; svg.setPointerCapture(e.pointerId); e.preventDefault(); });
  svg.addEventListener('pointermove', (e) => {
    if (!from) return;
    const unit = svg.viewBox.baseVal.width / svg.getBoundingClientRect().width;
    slider.value = String(Math.max(0, from[1] - (e.clientY - from[0]) * unit / per));
    move();
  });
  svg.addEventListener('pointerup', () => { from = null; });
  move();
})();
