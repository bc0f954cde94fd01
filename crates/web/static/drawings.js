// Drawings: their points one by one under pointer and arrow keys, and each saved as SVG or PNG with its title and where it comes from.
(() => {
  const LOOKS = ['fill', 'fill-opacity', 'stroke', 'stroke-width', 'stroke-dasharray', 'stroke-linecap', 'opacity', 'paint-order',
    'font-size', 'font-weight', 'font-family', 'text-anchor'];
  const HEAD = 34;
  const FOOT = 24;
  const SCALE = 2;
  const SVG = 'http://www.w3.org/2000/svg';

  const text = (content, x, y, size, weight) => {
    const node = document.createElementNS(SVG, 'text');
    const looks = { x, y, fill: 'currentColor', 'font-size': size, 'font-weight': weight, 'font-family': 'sans-serif' };
    for (const [name, value] of Object.entries(looks)) node.setAttribute(name, value);
    node.textContent = content;
    return node;
  };

  // A copy that needs no style sheet: every look that the page gives it stands on it as an attribute.
  const standing = (svg) => {
    const copy = svg.cloneNode(true);
    const from = [svg, ...svg.querySelectorAll('*')];
    [copy, ...copy.querySelectorAll('*')].forEach((node, nth) => {
      const style = getComputedStyle(from[nth]);
      for (const name of LOOKS) node.setAttribute(name, style.getPropertyValue(name));
      node.removeAttribute('class');
      node.removeAttribute('tabindex');
    });
    const { x, y, width, height } = svg.viewBox.baseVal;
    const page = getComputedStyle(document.body);
    const ground = document.createElementNS(SVG, 'rect');
    const looks = { x, y: y - HEAD, width, height: height + HEAD + FOOT, fill: page.backgroundColor };
    for (const [name, value] of Object.entries(looks)) ground.setAttribute(name, value);
    copy.prepend(ground);
    const bench = document.querySelector('.foot-line span')?.textContent.trim() ?? '';
    copy.append(text(svg.querySelector('title').textContent, x + 8, y - 12, 15, 700));
    // The day of the test; of a calculation, that of the drawing.
    const of = document.querySelector('main').dataset.of ?? new Date().toLocaleDateString('en-GB', { dateStyle: 'long' });
    copy.append(text([of, bench, 'Flindo'].filter(Boolean).join(' \u00b7 '), x + 8, y + height + 16, 11, 400));
    copy.setAttribute('viewBox', `${x} ${y - HEAD} ${width} ${height + HEAD + FOOT}`);
    copy.setAttribute('width', width);
    copy.setAttribute('height', height + HEAD + FOOT);
    copy.setAttribute('color', page.color);
    return { source: new XMLSerializer().serializeToString(copy), width, height: height + HEAD + FOOT };
  };

  const save = (blob, name) => {
    const link = document.createElement('a');
    link.href = URL.createObjectURL(blob);
    link.download = name;
    link.click();
    setTimeout(() => URL.revokeObjectURL(link.href), 10000);
  };

  const named = (svg, end) => {
    const { of, date } = document.querySelector('main').dataset;
    const words = [of?.split(',')[0], date, svg.querySelector('title').textContent].filter(Boolean).join(' ');
    return `${words.toLowerCase().replace(/[^a-z0-9]+/g, '-').replace(/^-|-$/g, '').slice(0, 80)}.${end}`;
  };

  const asPng = (svg) => {
    const { source, width, height } = standing(svg);
    const picture = new Image();
    picture.addEventListener('load', () => {
      const canvas = document.createElement('canvas');
      [canvas.width, canvas.height] = [width * SCALE, height * SCALE];
      canvas.getContext('2d').drawImage(picture, 0, 0, canvas.width, canvas.height);
      canvas.toBlob((blob) => save(blob, named(svg, 'png')), 'image/png');
    });
    picture.src = `data:image/svg+xml,${encodeURIComponent(source)}`;
  };

  const button = (word, svg, act) => {
    const made = document.createElement('button');
    made.type = 'button';
    made.className = 'btn btn-link';
    made.append(word);
    const of = document.createElement('span');
    of.className = 'visually-hidden';
    of.textContent = `: ${svg.querySelector('title').textContent}`;
    made.append(of);
    made.addEventListener('click', act);
    return made;
  };

  // Points are groups with a title of their own: one after the other by arrow keys, or the one under the pointer.
  const walk = (svg, readout) => {
    const points = [...svg.querySelectorAll('g > title')].map((title) => title.parentElement);
    if (!points.length) return;
    let at = -1;
    const show = (point) => {
      points.forEach((one) => one.classList.toggle('shown-point', one === point));
      readout.textContent = point?.querySelector('title').textContent ?? '';
    };
    svg.setAttribute('tabindex', '0');
    svg.addEventListener('keydown', (event) => {
      const step = { ArrowRight: 1, ArrowLeft: -1 }[event.key];
      if (!step) return;
      event.preventDefault();
      at = Math.min(Math.max(at + step, 0), points.length - 1);
      show(points[at]);
    });
    points.forEach((point) => point.addEventListener('pointerenter', () => show(point)));
  };

  const dress = (svg) => {
    if (svg.dataset.dressed || !svg.querySelector(':scope > title')) return;
    svg.dataset.dressed = 'yes';
    const tools = document.createElement('p');
    tools.className = 'drawing-tools';
    const readout = document.createElement('span');
    readout.className = 'drawing-readout';
    readout.setAttribute('role', 'status');
    const asSvg = () => save(new Blob([standing(svg).source], { type: 'image/svg+xml' }), named(svg, 'svg'));
    tools.append(readout, button('Save SVG', svg, asSvg), button('Save PNG', svg, () => asPng(svg)));
    svg.after(tools);
    walk(svg, readout);
  };

  document.addEventListener('DOMContentLoaded', () => {
    // Sketches of a tilt, of a bar or of a face are no figures to publish.
    const FIGURES = 'main svg.drawing:not(.aim, .bar-sketch, .face, .small-scale)';
    const all = () => document.querySelectorAll(FIGURES).forEach(dress);
    all();
    new MutationObserver(all).observe(document.querySelector('main'), { childList: true, subtree: true });
  });
})();
