// A form that asks for answers: each change fetches the same page and takes in the part marked as answers.
document.addEventListener('DOMContentLoaded', () => {
  for (const form of document.querySelectorAll('form[data-live]')) {
    let asked = 0;
    let timer = 0;
    const ask = async () => {
      const query = new URLSearchParams(new FormData(form));
      const mine = ++asked;
      try {
        const path = form.dataset.ask ?? form.getAttribute('action');
        const response = await fetch(`${path}?${query}`);
        const html = await response.text();
        if (mine !== asked) return;
        const page = new DOMParser().parseFromString(html, 'text/html');
        for (const part of document.querySelectorAll('[data-answer]')) {
          const fresh = page.querySelector(`[data-answer="${part.dataset.answer}"]`);
          if (fresh) part.replaceWith(fresh);
        }
        if (!form.dataset.ask) history.replaceState(null, '', `${path}?${query}`);
      } catch { /* the last answers stay */ }
    };
    // Somebody typed before this was here.
    if ([...form.elements].some((field) => 'defaultValue' in field && field.type !== 'hidden' && field.value !== field.defaultValue)) ask();
    form.addEventListener('input', () => { clearTimeout(timer); timer = setTimeout(ask, Number(form.dataset.live)); });
  }
});
