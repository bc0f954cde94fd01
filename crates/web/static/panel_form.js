// While a label is typed, the core answers beside each field; this only carries question and answer.
document.addEventListener('alpine:init', () => {
  Alpine.data('labelForm', () => ({
    latest: 0,
    async check() {
      const form = this.$root;
      const asked = ++this.latest;
      let html;
      try {
        const response = await fetch('/panels/answer', { method: 'POST', body: new URLSearchParams(new FormData(form)) });
        if (!response.ok) return;
        html = await response.text();
      } catch { return; }
      if (asked !== this.latest) return;
      const answer = new DOMParser().parseFromString(html, 'text/html');
      form.querySelector('#told').replaceWith(answer.querySelector('#told'));
      let doubts = false;
      for (const field of form.querySelectorAll('[data-field]')) {
        const notes = [...answer.querySelectorAll('p[data-field]')].filter((note) => note.dataset.field === field.dataset.field);
        // Empty fields are not scolded before they are saved.
        const input = field.querySelector('input');
        const shown = notes.filter((note) => note.dataset.weight !== 'refused' || input.value.trim() !== '');
        if (['tag', 'name', 'age_years', 'price'].includes(field.dataset.field)) continue;
        field.classList.toggle('refused', shown.some((note) => note.dataset.weight === 'refused'));
        field.classList.toggle('doubt', shown.some((note) => note.dataset.weight === 'doubt'));
        doubts ||= shown.some((note) => note.dataset.weight === 'doubt');
        field.querySelector('.notes').replaceChildren(...shown.map((note) => {
          const line = document.createElement('p');
          line.className = note.dataset.weight;
          line.textContent = note.textContent;
          return line;
        }));
      }
      form.querySelector('#keep').hidden = !doubts;
    },
  }));
});
