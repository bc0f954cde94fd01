// Painting: a stroke toggles cells into the form's hidden fields, and the form asks the bench what is left.
document.addEventListener('DOMContentLoaded', () => {
  const form = document.querySelector('.shade-form');
  if (!form) return;
  const field = (face) => form.querySelector(`[data-paint="${face.dataset.face}"]`);
  const painted = (face) => new Set(field(face).value.split('.').filter(Boolean));
  const set = (face, cell, on) => {
    const cells = painted(face);
    if (on) cells.add(cell); else cells.delete(cell);
    field(face).value = [...cells].sort((a, b) => a - b).join('.');
    face.querySelector(`[data-cell="${cell}"]`)?.classList.toggle('painted', on);
  };
  const tell = () => form.dispatchEvent(new Event('input', { bubbles: true }));

  let stroke = null;
  const cellOf = (event) => document.elementFromPoint(event.clientX, event.clientY)?.closest('[data-cell]');
  const paint = (event) => {
    const cell = cellOf(event);
    const face = cell?.closest('[data-face]');
    if (!cell || !face) return;
    if (stroke === null) stroke = !painted(face).has(cell.dataset.cell);
    set(face, cell.dataset.cell, stroke);
    tell();
  };
  form.addEventListener('pointerdown', (event) => {
    if (!event.target.closest('[data-face]')) return;
    event.preventDefault();
    event.target.closest('[data-face]').focus();
    paint(event);
  });
  form.addEventListener('pointermove', (event) => { if (stroke !== null) paint(event); });
  window.addEventListener('pointerup', () => { stroke = null; });

  // By keys: a cursor of its own for each face, kept by number through every answer.
  const cursors = new Map();
  const show = (face) => {
    face.querySelectorAll('.cursor').forEach((cell) => cell.classList.remove('cursor'));
    face.querySelector(`[data-cell="${cursors.get(face.dataset.face) ?? 0}"]`)?.classList.add('cursor');
  };
  const middle = (cell) => {
    const [x, y, width, height] = ['x', 'y', 'width', 'height'].map((name) => Number(cell.getAttribute(name)));
    return { x: x + width / 2, y: y + height / 2 };
  };
  const STEPS = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };
  form.addEventListener('keydown', (event) => {
    const face = event.target.closest?.('[data-face]');
    if (!face) return;
    const here = face.querySelector(`[data-cell="${cursors.get(face.dataset.face) ?? 0}"]`);
    if (event.key === ' ' || event.key === 'Enter') {
      event.preventDefault();
      set(face, here.dataset.cell, !painted(face).has(here.dataset.cell));
      tell();
    } else if (STEPS[event.key]) {
      event.preventDefault();
      const [dx, dy] = STEPS[event.key];
      const from = middle(here);
      const beside = (cell) => {
        const to = middle(cell);
        const [over, down] = [to.x - from.x, to.y - from.y];
        return { ahead: over * dx + down * dy, aside: Math.abs(over * dy) + Math.abs(down * dx) };
      };
      const ahead = [...face.querySelectorAll('[data-cell]')].map((cell) => ({ cell, ...beside(cell) })).filter(({ ahead }) => ahead > 0.5);
      ahead.sort((a, b) => a.ahead + 4 * a.aside - b.ahead - 4 * b.aside);
      if (ahead[0]) cursors.set(face.dataset.face, ahead[0].cell.dataset.cell);
      show(face);
    }
  });
  form.addEventListener('focusin', (event) => { const face = event.target.closest?.('[data-face]'); if (face) show(face); });

  // The faces come anew with every answer: whoever was on one is on it again.
  let onFace = null;
  form.addEventListener('focusin', (event) => { onFace = event.target.closest?.('[data-face]')?.dataset.face ?? null; });
  new MutationObserver(() => {
    if (onFace === null) return;
    const face = document.querySelector(`[data-face="${onFace}"]`);
    if (face && document.activeElement !== face && document.activeElement === document.body) { face.focus(); show(face); }
  }).observe(document.querySelector('.shade-top'), { childList: true, subtree: true });

  form.querySelector('[data-clear-paint]')?.addEventListener('click', () => {
    form.querySelectorAll('[data-paint]').forEach((hidden) => { hidden.value = ''; });
    tell();
  });
});
