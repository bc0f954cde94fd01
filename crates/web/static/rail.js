// The sun rail under the pointer, and the present moment as it moves. All figures come from the server.
document.addEventListener('DOMContentLoaded', () => {
  const rail = document.querySelector('.rail[data-from]');
  if (!rail) return;
  const from = Number(rail.dataset.from);
  const to = Number(rail.dataset.to);
  const samples = rail.dataset.samples.split('|');
  const strip = rail.querySelector('.rail-strip');
  const readout = rail.querySelector('[data-readout]');
  const move = (line, share) => {
    const x = share >= 0 && share <= 1 ? share * 1000 : -10;
    line.setAttribute('x1', x);
    line.setAttribute('x2', x);
  };
  const now = rail.querySelector('[data-now]');
  const pointer = rail.querySelector('[data-pointer]');
  setInterval(() => move(now, (Date.now() / 1000 - from) / (to - from)), 30_000);
  strip.addEventListener('pointermove', (event) => {
    const box = strip.getBoundingClientRect();
    const share = Math.min(1, Math.max(0, (event.clientX - box.left) / box.width));
    move(pointer, share);
    readout.textContent = samples[Math.round(share * (samples.length - 1))] ?? '';
  });
  strip.addEventListener('pointerleave', () => { move(pointer, -1); readout.textContent = ''; });
});
