// Measured first, asked afterwards: jobs of practitioners on one page, each in at most so many acts: a line entered, a button, a choice.
import { expect, ready, test } from './bench.js';

const KIND = { rated_w: 200, tolerance: '0/+3 %', voc_v: 24.3, isc_a: 10.4, vmp_v: 20.4, imp_a: 9.81, gamma_pmax: '-0.36 %/K', cells_in_series: 36, technology: 'mono' };

const post = async (own, path, body) => {
  const response = await fetch(`${own.url}/api/v1/${path}`, { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) });
  expect(response.ok, path).toBe(true);
};

const filled = async (own) => {
  await post(own, 'panels', { tag: 'S-1..S-3', kind: { name: 'Saffron 200', ...KIND } });
  for (const name of ['Lathe 30', 'Gimlet 20', 'Awl 15']) {
    await post(own, 'gear', { kind: 'controller', name, tracking: true, max_input_v: 100, max_battery_a: 60 });
  }
};

// Counts the acts, and waits for each line until it stands in the states.
const work = (page) => {
  const acts = { count: 0 };
  acts.click = async (locator) => { acts.count += 1; await locator.click(); };
  acts.line = async (text) => {
    acts.count += 1;
    await ready(page);
    await page.locator('#line').fill(text);
    const answered = page.waitForResponse((response) => response.url().endsWith('/readings') && response.request().method() === 'GET');
    await page.keyboard.press('Enter');
    await answered;
  };
  return acts;
};

const begun = async (page, own, tag = 'S-1') => {
  await filled(own);
  await page.goto(`${own.url}/now`);
  await ready(page);
  const acts = work(page);
  await acts.click(page.locator('.hangs').getByRole('button', { name: tag }));
  await expect(page.locator('#line')).toBeFocused();
  await ready(page);
  return acts;
};

test('flat, tilted, flat in five acts', async ({ page, own }) => {
  const acts = await begun(page, own);
  await acts.line('flat 127.0 W');
  await acts.line('35° 155.0 W');
  await acts.line('back 127.2 W');
  await expect(page.locator('.answers')).toContainText('35° gives');
  await expect(page.locator('.states tbody tr')).toHaveCount(2);
  expect(acts.count).toBeLessThanOrEqual(5);
});

test('from an empty bench a panel without a name is compared in five acts, and rated once its label is given', async ({ page, own }) => {
  await page.goto(own.url);
  await ready(page);
  const acts = work(page);
  acts.count += 1;
  await page.keyboard.press('m');
  await acts.click(page.getByRole('button', { name: 'A panel without a name' }));
  await expect(page.locator('#line')).toBeFocused();
  await acts.line('98.0 W 1000 W/m2 25 C');
  await acts.line('flat: 78.0 W');
  await acts.line('back: 98.2 W 1000 W/m2 25 C');
  await expect(page.locator('.answers')).toContainText('Flat gives');
  await expect(page.locator('.answers')).not.toContainText('rating');
  expect(acts.count).toBeLessThanOrEqual(5);
  const open = page.url();
  await page.goto(`${own.url}/panels/1/edit`);
  await page.getByLabel('Rated power').fill('100');
  await page.getByLabel('Name of the kind').fill('Heron 100');
  await page.keyboard.press('Enter');
  await page.waitForURL('**/panels/1');
  await page.goto(open);
  await expect(page.locator('.answers')).toContainText('rating');
});

test('a twin with temperatures in eight acts', async ({ page, own }) => {
  const acts = await begun(page, own);
  for (const line of ['160 W back 44 C', 'S-2: 151 W back 46 C', 'S-1: 160.5 W back 44 C', 'S-2: 150.5 W back 46 C']) await acts.line(line);
  await expect(page.locator('.answers')).toContainText('S-2 gives');
  expect(acts.count).toBeLessThanOrEqual(8);
});

test('four shade patterns on a pair with baselines in fourteen acts', async ({ page, own }) => {
  const acts = await begun(page, own);
  const lines = ['S-1 + S-2 series, 310 W', 'one cell on S-1: 205 W', 'no shade 311 W', 'left half of S-1 shaded: 160 W', 'no shade 309 W', 'lower half of S-2 shaded: 158 W', 'no shade 310 W', 'S-1 covered: 150 W', 'back 309 W'];
  for (const line of lines) await acts.line(line);
  await expect(page.locator('.answers')).toContainText('costs most');
  expect(acts.count).toBeLessThanOrEqual(14);
});

test('three panels alone and together in ten acts', async ({ page, own }) => {
  const acts = await begun(page, own);
  for (const line of ['100.7 W', 'S-2 alone 86.3 W', 'S-3 alone 85.0 W', 'S-1 + S-2 + S-3 parallel 242.3 W', 'S-1 alone 100.9 W']) await acts.line(line);
  await expect(page.locator('.answers')).toContainText('of their sum');
  expect(acts.count).toBeLessThanOrEqual(10);
});

test('amps of three strings, with a person before each, in nine acts', async ({ page, own }) => {
  await filled(own);
  await post(own, 'panels', { tag: 'F-1..F-6', kind: { name: 'Saffron 200', ...KIND } });
  await post(own, 'rigs', { name: 'Field array', wiring: 'F-1 + F-2 | F-3 + F-4 | F-5 + F-6', controller: 'Lathe 30' });
  await page.goto(`${own.url}/now`);
  await ready(page);
  const acts = work(page);
  await acts.click(page.locator('.hangs').getByRole('button', { name: 'Field array' }));
  await expect(page.locator('#line')).toBeFocused();
  const lines = ['string 1 7.0 A', 'person on string 1: 2.1', 'no shade, middle string 7.1', 'person on string 2: 2.4', 'no shade, last string 7.0', 'person on string 3: 2.2', 'all three on the main lead, no shade 21.0'];
  for (const line of lines) await acts.line(line);
  await expect(page.locator('.states tbody tr')).toHaveCount(7);
  await expect(page.locator('.answers')).toContainText('string 2');
  expect(acts.count).toBeLessThanOrEqual(9);
});

test('four improvements on a rig in ten acts', async ({ page, own }) => {
  await filled(own);
  await post(own, 'rigs', { name: 'Cart', wiring: 'S-1', controller: 'Lathe 30' });
  await page.goto(`${own.url}/now`);
  await ready(page);
  const acts = work(page);
  await acts.click(page.locator('.hangs').getByRole('button', { name: 'Cart' }));
  await expect(page.locator('#line')).toBeFocused();
  for (const line of ['98 W', 'cleaned: 103', 'step = thick lead: 108', '35°: 121', 'Gimlet 20: 127', 'back 98.4']) await acts.line(line);
  await expect(page.locator('.states tbody tr')).toHaveCount(5);
  await expect(page.locator('.answers')).toContainText('Cleaned brought');
  expect(acts.count).toBeLessThanOrEqual(10);
});

test('ten used panels by their open volts in twelve acts', async ({ page, own }) => {
  await post(own, 'panels', { tag: 'U-1..U-10', kind: { name: 'Umber 200', ...KIND } });
  await page.goto(`${own.url}/now`);
  await ready(page);
  const acts = work(page);
  await acts.click(page.locator('.hangs').getByRole('button', { name: /^U-1 / }));
  await expect(page.locator('#line')).toBeFocused();
  await acts.line('Voc 23.9 41 C');
  const read = [23.8, 24.0, 15.9, 23.9, 23.7, 23.9, 24.0, 23.8, 23.9];
  for (const [nth, voc] of read.entries()) await acts.line(`U-${nth + 2} ${voc.toFixed(1)} 41 C`);
  await expect(page.locator('.states tbody tr')).toHaveCount(10);
  await expect(page.locator('.answers')).toContainText('U-4');
  expect(acts.count).toBeLessThanOrEqual(12);
});

test('three controllers on one panel, both sides, in twelve acts', async ({ page, own }) => {
  const acts = await begun(page, own);
  for (const line of ['Lathe 30: 20.4 V 7.6 A out 13.4 V 11.2 A', 'Gimlet 20: 20.1 V 7.4 A out 13.4 V 10.7 A', 'Awl 15: 13.9 V 8.1 A out 13.4 V 8.1 A', 'Lathe 30: 20.4 V 7.6 A out 13.4 V 11.2 A']) await acts.line(line);
  await expect(page.locator('.answers')).toContainText('Lathe 30');
  expect(acts.count).toBeLessThanOrEqual(12);
});

test('a slip is corrected, an unknown word is asked about, and nothing of it is kept', async ({ page, own }) => {
  const acts = await begun(page, own);
  await acts.line('61 W');
  await acts.line('no, 69');
  await expect(page.locator('.last-reading')).toContainText('69');
  await page.locator('#line').fill('thick lead: 98 W');
  await expect(page.locator('#understood')).toContainText('is not understood');
  await acts.click(page.locator('#understood').getByRole('button', { name: 'step = thick lead' }));
  await expect(page.locator('#line')).toHaveValue('step = thick lead: 98 W');
  await page.keyboard.press('Enter');
  await expect(page.locator('.states tbody tr')).toHaveCount(2);
});

for (const { width, height } of [{ width: 360, height: 640 }, { width: 390, height: 844 }]) {
  test(`line, what is next and the last reading are on one screen of ${width} x ${height} in sunlight`, async ({ page, own }) => {
    await page.setViewportSize({ width, height });
    await page.context().addCookies([{ name: 'flindo-theme', value: 'sunlight', url: own.url }]);
    const acts = await begun(page, own);
    for (const line of ['98.0 W', 'left half shaded 47.0 W']) await acts.line(line);
    await expect(page.locator('#line')).toBeFocused();
    for (const place of ['.work-line', '#line', '.entry-row .btn', '.state-chips', '.next-act', '.last-reading', '.states']) {
      const box = await page.locator(place).first().boundingBox();
      expect(box.y, place).toBeGreaterThanOrEqual(0);
      expect(box.y + Math.min(box.height, 40), place).toBeLessThanOrEqual(height);
      expect(box.x + Math.min(box.width, 100), place).toBeLessThanOrEqual(width);
    }
    expect(await page.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(width);
    for (const box of await page.locator('.work-state .btn, .entry-row .btn').evaluateAll((all) => all.map((one) => one.getBoundingClientRect().height))) {
      expect(box).toBeGreaterThanOrEqual(48);
    }
  });
}

test('a pasted page of twenty lines in three acts', async ({ page, own }) => {
  await filled(own);
  const lines = ['all in watts', 'S-1'];
  const minute = (nth) => `10:${String(nth).padStart(2, '0')}`;
  for (let nth = 0; nth < 9; nth += 1) lines.push(`${minute(4 * nth)} ${nth % 2 ? '35°' : 'flat'}: ${nth % 2 ? 155 : 127}.${nth}`, `${minute(4 * nth + 1)} ${nth % 2 ? 154 : 126}.${nth}`);
  expect(lines.length).toBe(20);
  await page.goto(`${own.url}/now/notebook`);
  const acts = work(page);
  acts.count += 1;
  await page.locator('#text').fill(lines.join('\n'));
  await page.locator('#day').evaluate((field) => { field.value = '2026-06-10'; });
  await acts.click(page.getByRole('button', { name: 'See what they become' }));
  await expect(page.getByRole('heading', { name: '18 readings' })).toBeVisible();
  await acts.click(page.getByRole('button', { name: 'Take in' }));
  await expect(page.locator('.answers')).toContainText('35° gives');
  await expect(page.locator('.states tbody tr')).toHaveCount(2);
  expect(acts.count).toBeLessThanOrEqual(3);
});

test('a logged line is felt and heard, one that is not taken otherwise, nothing when switched off; the screen stays on', async ({ page, own }) => {
  await page.addInitScript(() => {
    window.felt = [];
    window.tones = [];
    window.awake = 0;
    Object.defineProperty(navigator, 'vibrate', { value: (pattern) => window.felt.push(pattern) });
    Object.defineProperty(navigator, 'wakeLock', { value: { request: async () => { window.awake += 1; return new EventTarget(); } } });
    const start = OscillatorNode.prototype.start;
    OscillatorNode.prototype.start = function heard(at) { window.tones.push(this.frequency.value); return start.call(this, at); };
  });
  const acts = await begun(page, own);
  await acts.line('98.0 W');
  await expect.poll(() => page.evaluate(() => window.felt)).toEqual([[40]]);
  expect(await page.evaluate(() => window.tones)).toEqual([880]);
  expect(await page.evaluate(() => window.awake)).toBe(1);
  await page.locator('#line').fill('98.0 W 45.0 W 3.0 A 2.0 A');
  await page.keyboard.press('Enter');
  await expect.poll(() => page.evaluate(() => window.felt.length)).toBe(2);
  expect(await page.evaluate(() => window.felt[1])).toEqual([120, 80, 120]);
  await page.locator('.work-menu summary').click();
  await page.getByLabel('Sound and vibration').uncheck();
  await page.locator('.work-menu summary').click();
  await page.locator('#line').fill('97.5 W');
  await page.keyboard.press('Enter');
  await expect(page.locator('.last-reading')).toContainText('97.5');
  expect(await page.evaluate(() => window.felt.length)).toBe(2);
});

test('figures are typed on the keypad of the page, where the device has a poor one', async ({ page, own }) => {
  await page.setViewportSize({ width: 360, height: 640 });
  await begun(page, own);
  await page.locator('.work-menu summary').click();
  await page.getByLabel('Keypad for figures').check();
  await page.locator('.work-menu summary').click();
  const press = (name) => page.locator('.keypad').getByRole('button', { name, exact: true }).click();
  const top = async () => (await page.locator('.keypad').boundingBox()).y;
  const before = await top();
  await press('1');
  // What is asked about a bare figure takes room of its own: the keys stay where the thumb is.
  await expect(page.locator('#understood')).toContainText('What is 1');
  expect(await top()).toBe(before);
  for (const key of ['5', '7', 'delete', '2', '.', '5', 'W']) await press(key);
  await expect(page.locator('#line')).toHaveValue('152.5 W ');
  await expect(page.locator('#line')).toHaveAttribute('inputmode', 'none');
  await expect(page.locator('#understood')).toContainText('152.5');
  await page.getByRole('button', { name: 'Log' }).click();
  await expect(page.locator('.last-reading')).toContainText('152.5');
  await press('last');
  await expect(page.locator('#line')).toHaveValue('152.5 W');
  for (const box of await page.locator('.keypad button').evaluateAll((all) => all.map((one) => one.getBoundingClientRect().height))) {
    expect(box).toBeGreaterThanOrEqual(48);
  }
  await page.reload();
  await expect(page.locator('.keypad')).toBeVisible();
});

test('without a secure connection it is said once that the screen goes dark', async ({ page, own }) => {
  await page.addInitScript(() => Object.defineProperty(navigator, 'wakeLock', { value: undefined }));
  await begun(page, own);
  await expect(page.getByText('The screen goes dark by itself here')).toBeVisible();
  await page.reload();
  await expect(page.locator('#line')).toBeVisible();
  await expect(page.getByText('The screen goes dark by itself here')).toBeHidden();
});

test('a chip opens what is likely, drawn where it is a shade: by thumb and by keys', async ({ page, own }) => {
  await page.setViewportSize({ width: 360, height: 640 });
  const acts = await begun(page, own);
  await acts.line('98.0 W');
  const chip = (name) => page.locator('.state-chips').getByRole('button', { name, exact: true });
  const sheet = (name) => page.getByRole('region', { name });
  await chip('shade').click();
  await expect(sheet('Shade').locator('svg').first()).toBeVisible();
  await sheet('Shade').getByRole('button', { name: 'lower half' }).click();
  await expect(chip('lower half')).toHaveClass(/changed/);
  await expect(sheet('Shade')).toBeHidden();
  // A tilt of one's own, by keys alone.
  await chip('tilt').focus();
  await page.keyboard.press('Enter');
  await sheet('Tilt').getByLabel('Tilt').focus();
  await page.keyboard.type('22');
  await page.keyboard.press('Enter');
  await expect(chip('22°')).toHaveClass(/changed/);
  await chip('S-1').click();
  await sheet('Panel or rig').getByRole('button', { name: 'S-3' }).click();
  await expect(chip('S-3')).toHaveClass(/changed/);
  await expect(page.locator('.states tbody tr')).toHaveCount(1);
});

for (const [what, path, places] of [
  ['a planned test', '/tests/3', ['#line', '.entry-row .btn', '.state-chips .changed', '.next-act', '.last-reading', '.taps', '.bracket']],
  ['a rating', '/tests/1', ['#line', '.entry-row .btn', '.state-chips .changed', '.last-reading', '.taps']],
]) {
  test(`${what} is the same page, with line, state, next act and last reading on one screen of 360 x 640`, async ({ page, demo }) => {
    await page.setViewportSize({ width: 360, height: 640 });
    await page.context().addCookies([{ name: 'flindo-theme', value: 'sunlight', url: demo.url }]);
    await page.goto(demo.url + path);
    await ready(page);
    for (const place of places) {
      const box = await page.locator(place).first().boundingBox();
      expect(box.y + box.height, place).toBeLessThanOrEqual(640);
      expect(box.x, place).toBeLessThan(360);
    }
    for (const box of await page.locator('.work-state .btn, .entry-row .btn').evaluateAll((all) => all.map((one) => one.getBoundingClientRect().height))) {
      expect(box).toBeGreaterThanOrEqual(48);
    }
  });
}
