// Pages that watch: one event stream keeps figures and runs up to date. The server makes the parts; this puts them in place.
document.addEventListener('DOMContentLoaded', () => {
  const root = document.querySelector('[data-events]');
  if (!root) return;
  const AGAIN_MS = 1000;
  const watching = document.querySelector('[data-watching]');
  const isTypedIn = (part) => part.contains(document.activeElement) && document.activeElement.matches('input, textarea, select');
  const hasBoard = () => root.querySelector('[data-part="state"]') !== null;
  const isBusy = (part) => isTypedIn(part) || part.querySelector('details[open]');

  // The line is where the fingers are, but the run stays in sight; on a phone the keys would cover it.
  if (window.matchMedia('(min-width: 641px)').matches) document.getElementById('line')?.focus({ preventScroll: true });

  // The run at work is carried into every form that logs a reading.
  const carryRun = () => {
    const now = root.querySelector('[data-run], [data-run-now]')?.dataset;
    const run = now?.run ?? now?.runNow ?? '';
    for (const field of root.querySelectorAll('[data-take] [data-run-field]')) field.value = run;
    for (const field of root.querySelectorAll('.entry [data-run-field]')) field.value = now?.run ?? '';
  };

  // Parts that were typed in while something changed: renewed once they are left.
  const missed = new Set();
  const replace = (html) => {
    const fresh = new DOMParser().parseFromString(html, 'text/html');
    for (const part of fresh.querySelectorAll('[data-part]')) {
      const old = root.querySelector(`[data-part="${part.dataset.part}"]`);
      if (!old) continue;
      if (isBusy(old)) { missed.add(part.dataset.part); continue; }
      missed.delete(part.dataset.part);
      const focused = document.activeElement?.closest?.('[data-part]') === old ? document.activeElement.textContent.trim() : null;
      old.replaceWith(document.importNode(part, true));
      // Whoever stood on a button stands on it again.
      const buttons = focused ? [...root.querySelectorAll(`[data-part="${part.dataset.part}"] button`)] : [];
      buttons.find((button) => button.textContent.trim() === focused)?.focus();
    }
    carryRun();
    countDown();
    takeWhenSettled();
  };

  // Hands free: once the run has settled, and every figure of a meter stands still, its reading is taken. The server says what stands still.
  const handsFree = document.querySelector('[data-hands-free]');
  const handsFreeState = document.querySelector('[data-hands-free-state]');
  let isTaking = false;
  const takeWhenSettled = async () => {
    if (!handsFree?.checked || isTaking) return;
    const wanted = root.querySelector('[data-wants]');
    const say = (words) => { if (handsFreeState.textContent !== words) handsFreeState.textContent = words; };
    if (!wanted) { say('begin the run'); return; }
    if (Number(wanted.dataset.wants) <= 0) { say(root.dataset.taken ?? 'taken: the next run'); return; }
    if (isSettling) { say('settling'); return; }
    const steady = root.querySelector('.meter-now[data-steady] form[data-take]');
    if (!steady) { say(root.querySelector('[data-waits]')?.dataset.waits ?? 'no meter'); return; }
    isTaking = true;
    if (await send(steady)) document.dispatchEvent(new CustomEvent('flindo:logged'));
    isTaking = false;
  };
  handsFree?.addEventListener('change', () => { if (!handsFree.checked) handsFreeState.textContent = ''; });

  let isSettling = false;
  let settleTimer = 0;
  const countDown = () => {
    clearInterval(settleTimer);
    isSettling = false;
    const shown = root.querySelector('[data-settle]');
    const left = Number(shown?.dataset.settle ?? 0);
    if (!shown || left <= 0) return;
    // Counted from when this run was put here, whatever else of the page is renewed.
    shown.until ??= performance.now() + left * 1000;
    const { until } = shown;
    isSettling = performance.now() < until;
    settleTimer = setInterval(() => {
      const seconds = Math.ceil((until - performance.now()) / 1000);
      const strong = shown.querySelector('strong');
      if (seconds > 0) { strong.textContent = `${seconds} s`; return; }
      clearInterval(settleTimer);
      isSettling = false;
      document.dispatchEvent(new CustomEvent('flindo:settled'));
      shown.replaceChildren(Object.assign(document.createElement('strong'), { textContent: 'settled' }));
    }, 250);
  };

  // What happened has to be seen, so that a lost answer is asked for again. One question at a time: an older answer never comes after a newer one.
  let againTimer = 0;
  let isOld = false;
  let renewing = null;
  const renew = async () => {
    clearTimeout(againTimer);
    while (isOld) {
      isOld = false;
      try {
        const response = await fetch(root.dataset.events.replace(/events$/, 'readings'));
        if (response.ok) { replace(await response.text()); continue; }
      } catch { /* no connection */ }
      againTimer = setTimeout(refresh, AGAIN_MS);
    }
    renewing = null;
  };
  const refresh = () => {
    isOld = true;
    renewing ??= renew();
    return renewing;
  };
  root.refreshParts = refresh;

  const renewMissed = () => {
    const isLeft = (name) => { const part = root.querySelector(`[data-part="${name}"]`); return part && !isBusy(part); };
    if ([...missed].some(isLeft)) refresh();
  };
  root.addEventListener('toggle', renewMissed, true);
  // The next element has the focus only after this event.
  root.addEventListener('focusout', () => setTimeout(renewMissed));

  // Buttons of the board act without a page load, so that the line keeps what is being typed.
  root.addEventListener('submit', async (event) => {
    const form = event.target;
    if (form.classList.contains('entry') || form.enctype === 'multipart/form-data' || !form.closest('[data-part]')) return;
    event.preventDefault();
    send(form);
  });

  // Answers whether it was done.
  const send = async (form) => {
    // Pressed twice: the second press waits for the answer to the first, and is none.
    if (form.dataset.sending) return false;
    form.dataset.sending = 'yes';
    const details = form.closest('details');
    let isDone = false;
    try {
      const response = await fetch(form.action, { method: 'POST', body: new URLSearchParams(new FormData(form)) });
      if (details) {
        // A field that still has the focus in a closed fold would keep its part from being renewed.
        if (details.contains(document.activeElement)) document.activeElement.blur();
        details.open = false;
      }
      isDone = response.ok;
      if (response.ok) { if (hasBoard()) await refresh(); } else {
        const page = new DOMParser().parseFromString(await response.text(), 'text/html');
        if (watching) watching.textContent = page.querySelector('main p')?.textContent ?? 'That did not work.';
      }
    } catch { if (watching) watching.textContent = 'No connection to the bench: press it again when it is back.'; }
    delete form.dataset.sending;
    return isDone;
  };

  // Skip and note: the fingers are in the field at once, so that what they type next is no key of the page.
  root.addEventListener('click', (event) => {
    const details = event.target.closest('.inline-form > summary')?.parentElement;
    if (!details || details.open) return;
    event.preventDefault();
    details.open = true;
    details.querySelector('input.form-control')?.focus();
  });

  let lost = false;
  let stream = null;
  const listen = () => {
    stream = new EventSource(root.dataset.events);
    stream.addEventListener('meters', (event) => replace(event.data));
    stream.addEventListener('changed', refresh);
    stream.addEventListener('open', () => {
      if (lost && watching) watching.textContent = '';
      if (lost && hasBoard()) refresh();
      lost = false;
    });
    stream.addEventListener('error', () => {
      lost = true;
      if (watching) watching.textContent = 'No connection to the bench.';
      // A browser tries again by itself, unless it was answered with an error.
      if (stream.readyState === EventSource.CLOSED) setTimeout(listen, AGAIN_MS);
    });
  };
  listen();
  window.addEventListener('pagehide', () => stream.close());
  carryRun();
  countDown();
});
