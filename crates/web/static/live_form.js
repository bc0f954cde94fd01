// A form that asks for answers: each change fetches the same page and takes in the part marked as answers. One question at a time; what
// changes meanwhile is asked once more when the answer is there.
document.addEventListener('DOMContentLoaded', () => {
  for (const form of document.querySelectorAll('form[data-live]')) {
    const wait = Number(form.dataset.live);
    let isAsking = false;
    let again = false;
    let timer = 0;
    const take = (html) => {
      const page = new DOMParser().parseFromString(html, 'text/html');
      for (const part of document.querySelectorAll('[data-answer]')) {
        const fresh = page.querySelector(`[data-answer="${part.dataset.answer}"]`);
        if (fresh) part.replaceWith(fresh);
      }
    };
    const ask = async () => {
      again = isAsking;
      if (isAsking) return;
      isAsking = true;
      const query = new URLSearchParams(new FormData(form));
      const path = form.dataset.ask ?? form.getAttribute('action');
      try {
        const response = await fetch(`${path}?${query}`);
        take(await response.text());
        if (!form.dataset.ask) history.replaceState(null, '', `${path}?${query}`);
      } catch { /* the last answers stay */ }
      isAsking = false;
      if (again) ask();
    };
    // Somebody typed before this was here.
    if ([...form.elements].some((field) => 'defaultValue' in field && field.type !== 'hidden' && field.value !== field.defaultValue)) ask();
    form.addEventListener('input', () => {
      clearTimeout(timer);
      if (wait === 0) ask(); else timer = setTimeout(ask, wait);
    });
  }
});
