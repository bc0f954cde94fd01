// A day's drawing: zoomed and moved by keys, buttons, wheel, drag and pinch; the server draws each window anew.
// A crosshair shows every value at a moment;
// dragging with Shift fills the times of a stretch.
(() => {
  const SHORTEST_MS = 2000;
  const PLOT = { left: 64, right: 950 };
  const REFRESH_MS = 2000;

  const clamp = (value, low, high) => Math.min(Math.max(value, low), high);

  const open = (chart) => {
    const view = chart.querySelector('.chart-view');
    const readout = chart.querySelector('.crosshair-readout');
    const [first, last] = [Number(chart.dataset.first), Number(chart.dataset.last)];
    let [from, to] = [Number(chart.dataset.from), Number(chart.dataset.to)];
    const home = [from, to];
    let isAsking = false;
    let again = false;
    let lines = [];
    let cursor = null;

    const svg = () => view.querySelector('svg');
    const timeAt = (x) => {
      const box = svg().getBoundingClientRect();
      const inside = (x - box.left) / box.width * 960;
      const [begin, end] = [Number(svg().dataset.from), Number(svg().dataset.to)];
      return begin + clamp((inside - PLOT.left) / (PLOT.right - PLOT.left), 0, 1) * (end - begin);
    };
    const local = (ms) => {
      const zone = document.querySelector('.foot-line span')?.textContent.split('\u00b7').pop().trim();
      const at = new Date(ms);
      try { return at.toLocaleTimeString('en-GB', { timeZone: zone }); } catch { return at.toLocaleTimeString('en-GB'); }
    };

    const nearest = (points, ms) => {
      let [low, high] = [0, points.length - 1];
      while (high - low > 1) {
        const middle = (low + high) >> 1;
        if (points[middle][0] < ms) low = middle; else high = middle;
      }
      return points[high] && Math.abs(points[high][0] - ms) < Math.abs(points[low][0] - ms) ? points[high] : points[low];
    };

    const show = (ms) => {
      const drawing = svg();
      if (!drawing) return;
      cursor = clamp(ms, from, to);
      drawing.querySelector('.crosshair')?.remove();
      const x = PLOT.left + (cursor - from) / (to - from) * (PLOT.right - PLOT.left);
      const line = document.createElementNS('http://www.w3.org/2000/svg', 'line');
      const looks = { class: 'crosshair', x1: x, x2: x, y1: 26, y2: drawing.viewBox.baseVal.height - 28 };
      for (const [name, value] of Object.entries(looks)) line.setAttribute(name, value);
      drawing.append(line);
      const values = lines.filter((one) => one.points.length).map((one) => [one, nearest(one.points, cursor)])
        .filter(([one, point]) => Math.abs(point[0] - cursor) <= Math.max(one.gap_ms, (to - from) / 300))
        .map(([one, point]) => `${one.label} ${point[1]} ${one.unit}`);
      readout.textContent = `${local(cursor)}: ${values.join(' \u00b7 ') || 'no samples'}`;
    };

    const fresh = () => {
      const drawing = svg();
      if (!drawing) return;
      lines = JSON.parse(drawing.dataset.lines || '[]');
      drawing.setAttribute('tabindex', '0');
      if (cursor !== null && cursor >= from && cursor <= to) show(cursor);
    };

    const ask = async () => {
      again = isAsking;
      if (isAsking) return;
      isAsking = true;
      try {
        const response = await fetch(`${chart.dataset.chart}?from=${Math.round(from)}&to=${Math.round(to)}`);
        if (response.ok) {
          const page = new DOMParser().parseFromString(await response.text(), 'text/html');
          const hadFocus = svg() === document.activeElement;
          view.replaceChildren(...page.querySelector('.chart-view').childNodes);
          [from, to] = [Number(svg().dataset.from), Number(svg().dataset.to)];
          fresh();
          if (hadFocus) svg().focus();
        }
      } catch { /* the last drawing stays */ }
      isAsking = false;
      if (again) ask();
    };

    const go = (begin, end) => {
      const span = clamp(end - begin, SHORTEST_MS, last - first);
      from = clamp(begin, first, last - span);
      to = from + span;
      ask();
    };
    const zoom = (factor, about) => {
      const at = about ?? cursor ?? (from + to) / 2;
      go(at - (at - from) * factor, at + (to - at) * factor);
    };
    const act = (what) => {
      const span = to - from;
      if (what === 'in') zoom(0.5);
      if (what === 'out') zoom(2);
      if (what === 'left') go(from - span / 4, to - span / 4);
      if (what === 'right') go(from + span / 4, to + span / 4);
      if (what === 'all') go(...home);
    };

    chart.addEventListener('click', (event) => {
      const what = event.target.closest('[data-zoom]')?.dataset.zoom;
      if (what) act(what);
    });
    chart.addEventListener('keydown', (event) => {
      if (event.ctrlKey || event.metaKey || event.altKey) return;
      const alone = { '+': 'in', '=': 'in', '-': 'out', '0': 'all' }[event.key];
      const of = alone ?? (event.shiftKey && { ArrowLeft: 'left', ArrowRight: 'right' }[event.key]);
      if (of) {
        event.preventDefault();
        act(of);
        return;
      }
      const step = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
      if (step && event.target === svg()) {
        event.preventDefault();
        const points = lines[0]?.points ?? [];
        const now = cursor ?? from;
        const next = step > 0 ? points.find((point) => point[0] > now + 0.5) : points.findLast((point) => point[0] < now - 0.5);
        if (next) show(next[0]);
      }
      const field = { '[': 'from', ']': 'to' }[event.key];
      if (field && cursor !== null) {
        const input = document.getElementById(field);
        if (input) input.value = local(cursor);
      }
    });
    view.addEventListener('wheel', (event) => {
      if (!event.ctrlKey && !event.shiftKey && !svg()?.matches(':focus')) return;
      event.preventDefault();
      zoom(event.deltaY > 0 ? 1.4 : 1 / 1.4, timeAt(event.clientX));
    }, { passive: false });

    // One pointer drags, two pinch; Shift marks a stretch.
    const pointers = new Map();
    let dragged = null;
    view.addEventListener('pointerdown', (event) => {
      if (!event.target.closest('svg')) return;
      pointers.set(event.pointerId, event.clientX);
      dragged = { from, to, x: event.clientX, at: timeAt(event.clientX), marks: event.shiftKey };
      if (event.pointerType === 'mouse') view.setPointerCapture(event.pointerId);
    });
    view.addEventListener('pointermove', (event) => {
      if (!svg()) return;
      if (!pointers.has(event.pointerId)) {
        show(timeAt(event.clientX));
        return;
      }
      const before = [...pointers.values()];
      pointers.set(event.pointerId, event.clientX);
      const now = [...pointers.values()];
      const perPixel = (to - from) / (svg().getBoundingClientRect().width * (PLOT.right - PLOT.left) / 960);
      if (now.length === 2) {
        const [was, is] = [Math.abs(before[0] - before[1]), Math.abs(now[0] - now[1])];
        if (was > 5 && is > 5) zoom(was / is, timeAt((now[0] + now[1]) / 2));
      } else if (dragged && !dragged.marks && event.pointerType === 'mouse') {
        const shift = (dragged.x - event.clientX) * perPixel;
        if (Math.abs(dragged.x - event.clientX) > 4) go(dragged.from + shift, dragged.to + shift);
      } else if (dragged?.marks || event.pointerType !== 'mouse') show(timeAt(event.clientX));
    });
    const lift = (event) => {
      pointers.delete(event.pointerId);
      if (dragged?.marks && event.type === 'pointerup') {
        const [begin, end] = [dragged.at, timeAt(event.clientX)].sort((a, b) => a - b);
        const [one, two] = [document.getElementById('from'), document.getElementById('to')];
        if (one && two && end > begin) [one.value, two.value] = [local(begin), local(end)];
      }
      dragged = null;
    };
    for (const end of ['pointerup', 'pointercancel', 'pointerleave']) view.addEventListener(end, lift);

    if ('recording' in chart.dataset) setInterval(() => { if (!document.hidden) ask(); }, REFRESH_MS);
    fresh();
  };

  document.addEventListener('DOMContentLoaded', () => document.querySelectorAll('.day-chart').forEach(open));
})();
