// Tables and answers as text for a message or a post: the answer in one sentence, a line for each row, with units and intervals.
(() => {
  const words = (element) => element.innerText.replace(/\s+/g, ' ').trim();
  const main = document.querySelector('main');

  // The tag is said with the day of the test.
  const heading = () => {
    const title = main.querySelector('h1').cloneNode(true);
    title.querySelector('.tag')?.remove();
    const name = title.textContent.replace(/\s+/g, ' ').trim();
    const of = main.dataset.of;
    return !of || of === name ? name : `${name} ${name.endsWith('?') ? '' : '\u00b7 '}${of}`;
  };

  const lines = (table) => [...table.rows]
    .map((row) => [...row.cells].map(words).filter(Boolean).join(' \u00b7 '))
    .filter(Boolean);

  const asText = (of) => {
    const answer = document.querySelector('.verdict .finding, .verdict h2, .lead');
    const head = [heading(), answer && words(answer)].filter(Boolean);
    return [...head, ...(of ? ['', ...lines(of)] : [])].join('\n');
  };

  // Without a secure connection a page may not write to the clipboard: the text is shown and chosen instead.
  const give = async (text, button) => {
    try {
      await navigator.clipboard.writeText(text);
      button.nextElementSibling.textContent = 'Copied.';
    } catch {
      const field = document.createElement('textarea');
      field.className = 'form-control mono';
      field.value = text;
      field.rows = Math.min(text.split('\n').length + 1, 20);
      field.setAttribute('aria-label', 'The text, to be copied');
      button.parentElement.replaceChildren(field);
      field.focus();
      field.select();
    }
  };

  const offer = (after, of, label) => {
    const line = document.createElement('p');
    line.className = 'drawing-tools';
    const button = document.createElement('button');
    button.type = 'button';
    button.className = 'btn btn-link';
    button.append('Copy as text');
    const hidden = document.createElement('span');
    hidden.className = 'visually-hidden';
    hidden.textContent = `: ${label}`;
    button.append(hidden);
    const told = document.createElement('span');
    told.setAttribute('role', 'status');
    button.addEventListener('click', () => give(asText(of), button));
    line.append(button, told);
    after.after(line);
  };

  document.addEventListener('DOMContentLoaded', () => {
    main.querySelectorAll('.table-wrap').forEach((wrap) => {
      const table = wrap.querySelector('table.table');
      if (table) offer(wrap, table, wrap.getAttribute('aria-label') ?? 'this table');
    });
    const verdict = main.querySelector('section.verdict');
    if (verdict) offer(verdict, null, 'the answer');
  });
})();
