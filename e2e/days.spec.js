// A whole day: six odd files of loggers brought in by keyboard, a log read by keys and by thumb, a stretch of it taken as a reading, two rigs compared.
import { expect, ready, test } from './bench.js';

const minutes = (row) => Array.from({ length: 60 }, (_, nth) => row(10 + Math.floor(nth / 30), (nth * 2) % 60, nth)).join('\n');
const two = (number) => String(number).padStart(2, '0');

// Name, bytes, and the logs that come of it.
const FILES = [
  ['plain.csv', `time_utc,voltage_v,current_a\n${minutes((h, m, n) => `2026-09-12T${two(h)}:${two(m)}:00Z,18.${n % 10},5.6`)}\n`, 1],
  ['commas.csv', Buffer.from(`Logger 7;;;\r\nDatum;Zeit;Spannung (V);Strom (A)\r\n${minutes((h, m, n) => `12.09.2026;${two(h)}:${two(m)};18,${n % 10};5,6`).replaceAll('\n', '\r\n')}\r\n`, 'latin1'), 1],
  ['devices.tsv', `Date/Time\tRig A Power (kW)\tRig B Power (kW)\n${minutes((h, m) => `9/13/2026 ${h}:${two(m)} AM\t0.120\t0.118`)}\n`, 2],
  ['wide.txt', Buffer.from(`\ufeffTime;Power (W);Irradiance (W/m\u00b2)\n${minutes((h, m) => `2026-09-14 ${two(h)}:${two(m)};120;800`)}\n`, 'utf16le'), 1],
  ['unix.csv', `ts;p\n${minutes((h, m, n) => `${1789380000 + n * 120};${100 + n}.5`)}\n`, 1],
  ['rows.csv', `Timestamp|Device|Power (kW)\n${minutes((h, m, n) => `2026-09-15 ${two(h)}:${two(m)}|${n % 2 ? 'roof' : 'barn'}|${n === 7 ? 'err' : '0.12'}`)}\n`, 2],
];

test('six odd files are brought in by keyboard', async ({ page, own }) => {
  test.slow();
  for (const [name, bytes, logs] of FILES) {
    await page.goto(`${own.url}/logs/import`);
    await page.getByLabel('File of a logger').setInputFiles({ name, mimeType: 'text/csv', buffer: Buffer.from(bytes) });
    await page.getByRole('button', { name: 'Send' }).press('Enter');
    await expect(page.getByRole('region', { name: 'First and last rows' }).locator('tbody tr').first()).toContainText('September 2026');
    await page.getByRole('button', { name: 'Import', exact: true }).press('Enter');
    await expect(page.locator('.alert-success')).toContainText(name === 'rows.csv' ? '59 rows are in. 1 row could not be read' : '60 rows are in');
    await expect(page.locator('.go-on-list a')).toHaveCount(logs);
  }
  await expect(page.getByRole('region', { name: 'Rows kept aside' }).locator('tbody tr')).toContainText('err');
  await ready(page);
  await page.keyboard.press('g');
  await expect(page.locator('.day-chart svg')).toBeVisible();
});

test('what a file leaves open is shown both ways and turned by one key', async ({ page, own }) => {
  const rows = (first) => [0, 1, 2].map((n) => `0${first}.05.2026;12:0${n};15${n}.500`).join('\n');
  await page.goto(`${own.url}/logs/import`);
  const file = { name: 'thousands.csv', mimeType: 'text/csv', buffer: Buffer.from(`Datum;Zeit;Leistung [mW]\n${rows(4)}\n`) };
  await page.getByLabel('File of a logger').setInputFiles(file);
  await page.getByRole('button', { name: 'Send' }).press('Enter');
  const first = page.getByRole('region', { name: 'First and last rows' }).locator('tbody th').first();
  await expect(first).toContainText('0.1505');
  const doubt = page.locator('.both-ways', { hasText: 'the decimal sign decides' });
  await expect(doubt.locator('dd').nth(1)).toContainText('0.1505');
  await expect(doubt.locator('dd').nth(2)).toContainText('150.5');
  await doubt.getByRole('button').press('Enter');
  await expect(first).toContainText('150.5');
  await expect(page.locator('#decimal_comma')).toHaveValue('yes');
  // Enter in a field brings the file in as it stands, and does not turn anything.
  await page.locator('#header_lines').press('Enter');
  await expect(page.locator('.alert-success')).toContainText('3 rows are in');
});

const span = (page) => page.locator('.day-chart svg.day').evaluate((svg) => Number(svg.dataset.to) - Number(svg.dataset.from));

test('a day is read by keys down to its samples, and a stretch of it is taken', async ({ page, demo }) => {
  await page.goto(`${demo.url}/logs/1`);
  await ready(page);
  const whole = await span(page);
  const drawing = page.locator('.day-chart svg.day');
  await drawing.focus();
  await page.keyboard.press('ArrowRight');
  await expect(page.locator('.crosshair-readout')).toContainText(/Power .* W/);
  for (const zoom of [1, 2, 3, 4, 5, 6]) {
    await page.locator('.day-chart svg.day').focus();
    await page.keyboard.press('+');
    await expect.poll(() => span(page)).toBeLessThan(whole / 2 ** zoom * 1.05);
  }
  await expect(page.locator('.day-chart svg.day circle').first()).toBeAttached();
  await page.locator('.day-chart svg.day').focus();
  await page.keyboard.press('0');
  await expect.poll(() => span(page)).toBe(whole);
  await page.getByLabel('Test', { exact: true }).selectOption({ index: 1 });
  await page.locator('#belongs').getByRole('button', { name: 'Save' }).press('Enter');
  await ready(page);
  await page.getByLabel('From', { exact: true }).fill('11:00');
  await page.getByLabel('To', { exact: true }).fill('11:05');
  await page.getByRole('button', { name: 'Take as reading' }).press('Enter');
  await expect(page.locator('.alert-success')).toContainText('Taken as a reading');
});

test.describe('on a phone', () => {
  test.use({ viewport: { width: 390, height: 844 }, hasTouch: true });
  test('two rigs are compared and a log is zoomed by thumb', async ({ page, demo }) => {
    await page.goto(`${demo.url}/logs`);
    await page.getByRole('link', { name: 'Compare hours' }).last().tap();
    await expect(page.locator('input[name=log]')).toHaveCount(2);
    for (const box of await page.locator('input[name=log]').all()) await box.check();
    await page.getByRole('button', { name: 'Compare' }).tap();
    const rows = page.getByRole('region', { name: 'Rigs compared' }).locator('tbody tr');
    await expect(rows).toHaveCount(2);
    await expect(page.locator('main')).toContainText('with a full battery are left out');
    await rows.first().getByRole('link').tap();
    await expect(page.getByRole('button', { name: /Zoom in/ })).toBeVisible();
    await ready(page);
    const whole = await span(page);
    await page.getByRole('button', { name: /Zoom in/ }).tap();
    await expect.poll(() => span(page)).toBeLessThan(whole * 0.6);
    expect(await page.evaluate(() => document.documentElement.scrollWidth - document.documentElement.clientWidth)).toBe(0);
  });
});
