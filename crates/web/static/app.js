// Keys for every page. Single keys work only outside of fields, and can be switched off on the page of keys.
(() => {
  const OFF = 'flindo:single-keys-off';
  const stored = (key) => { try { return localStorage.getItem(key); } catch { return null; } };
  const isField = (element) => element.closest('input:not([type=radio]):not([type=checkbox]), textarea, select, [contenteditable]');

  document.documentElement.classList.add('scripted');

  document.addEventListener('keydown', (event) => {
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    if (event.key === 'Escape' && isField(event.target)) { event.target.blur(); return; }
    if (isField(event.target) || stored(OFF)) return;
    if (event.key === '/') {
      const line = document.querySelector('[data-entry]');
      const field = line ?? document.querySelector('[data-find]');
      if (field?.checkVisibility()) { event.preventDefault(); field.focus(); } else if (!line) location.href = '/search';
    } else if (event.key === '?') {
      location.href = '/help';
    } else if (event.key === 'h') {
      location.href = '/';
    } else if (event.key === 'u') {
      document.querySelector('#undo-last button')?.click();
    } else if (/^[a-z]$/.test(event.key)) {
      const wanted = document.querySelector(`[data-key="${event.key}"]`);
      if (!wanted) return;
      // What a key opens may take the focus: the key is not typed into it.
      event.preventDefault();
      if (wanted.matches('input')) wanted.focus(); else wanted.click();
    }
  });

  document.addEventListener('alpine:init', () => {
    Alpine.store('keys', {
      on: !stored(OFF),
      turn() {
        this.on = !this.on;
        try { if (this.on) localStorage.removeItem(OFF); else localStorage.setItem(OFF, '1'); } catch { /* stays as it is */ }
      },
    });
  });
})();
