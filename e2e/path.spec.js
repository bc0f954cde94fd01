// The whole path: from an empty bench to a verdict.
import { readFileSync } from 'node:fs';
import { expect, log, ready, test } from './bench.js';

test('by keyboard alone, from an empty bench to a verdict, a report and a table', async ({ page, own }) => {
  await page.goto(own.url);
  const tabTo = async (name) => {
    for (let press = 0; press < 60; press += 1) {
      await page.keyboard.press('Tab');
      const focused = await page.evaluate(() => document.activeElement?.labels?.[0]?.textContent ?? document.activeElement?.textContent ?? '');
      if (focused.trim().startsWith(name)) return;
    }
    throw new Error(`no way to ${name} by Tab`);
  };
  await tabTo('Add a panel');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('heading', { name: 'Add a panel' })).toBeVisible();
  const typed = { Tag: 'S-1', 'Name of the kind': 'Saffron 200', 'Rated power': '200', Voc: '24.3', Isc: '10.4', Vmp: '20,4', Imp: '9.81', 'Coefficient of Pmax': '-0.36 %/K', 'Cells in series': '36' };
  for (const [label, text] of Object.entries(typed)) {
    await tabTo(label);
    await page.keyboard.type(text);
  }
  await expect(page.locator('#told')).toContainText('200.1');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('heading', { name: 'S-1 Saffron 200' })).toBeVisible();
  await ready(page);

  await page.keyboard.press('n');
  await expect(page.locator('#panel')).toBeFocused();
  await tabTo('Start logging');
  await page.keyboard.press('Enter');
  await expect(page.locator('#line')).toBeFocused();
  await ready(page);
  await page.keyboard.type('18.49 V 8.25 A 862 W/m2 47.5 C');
  await expect(page.locator('#understood')).toContainText('152.5');
  await page.keyboard.press('Enter');
  await expect(page.locator('.answers')).toContainText('Nothing speaks against S-1');
  await page.keyboard.press('Escape');
  await page.keyboard.press('r');
  await expect(page.getByRole('img', { name: /Loss ladder/ })).toBeVisible();
  await ready(page);
  await page.keyboard.press('p');
  await expect(page.getByRole('heading', { name: /Does it make its rating/ })).toBeVisible();
});

test('a first verdict from an empty bench takes at most 30 key presses', async ({ page, own }) => {
  let presses = 0;
  const press = async (key) => { presses += 1; await page.keyboard.press(key); };
  const type = async (text) => { for (const key of text) await press(key === ' ' ? 'Space' : key); };
  await page.goto(own.url);
  await ready(page);
  await press('n');
  await expect(page.locator('#tag')).toBeFocused();
  await ready(page);
  await type('S-1');
  while (!(await page.locator('#rated_w').evaluate((field) => field === document.activeElement))) await press('Tab');
  await type('200');
  await press('Enter');
  await expect(page.getByRole('heading', { name: 'S-1' })).toBeVisible();
  await ready(page);
  await press('m');
  await expect(page.locator('#line')).toBeFocused();
  await ready(page);
  await type('152W 865W/m2 48C');
  await press('Enter');
  await expect(page.locator('.answers')).toContainText('Nothing speaks against S-1');
  expect(presses).toBeLessThanOrEqual(30);
});

test.describe('at 390 px by touch', () => {
  test.use({ viewport: { width: 390, height: 844 }, hasTouch: true, isMobile: true });

  test('the same path, with targets for a thumb and nothing wider than the screen', async ({ page, demo }) => {
    await page.goto(demo.url);
    await page.getByRole('link', { name: /Single rating/ }).tap();
    await page.locator('#panel').selectOption({ label: 'I-1 · Indigo 410 · 410 W' });
    await page.getByRole('button', { name: 'Start logging' }).first().tap();
    await page.locator('#line').fill('28,1 V 11,6 A 905 W/m2 118 F');
    await expect(page.locator('#understood')).toContainText('326');
    await page.getByRole('button', { name: 'Log', exact: true }).tap();
    await expect(page.locator('.answers li')).toBeVisible();
    for (const name of [/^Log$/, /Undo/]) {
      const box = await page.getByRole('button', { name }).first().boundingBox();
      expect(box.height).toBeGreaterThanOrEqual(44);
    }
    await page.getByRole('link', { name: /^Result( r)?$/ }).tap();
    await expect(page.getByRole('img', { name: /Loss ladder/ })).toBeVisible();
    for (const path of ['/', '/panels', '/panels/new', '/tests/new', '/tests/1', '/tests/1/result', '/tests/2/result', '/tests/1/report', '/panels/1', '/places/1/edit', '/import', '/bench', '/help', '/today', '/aim', '/tilt', '/places/new', '/gear', '/gear/new?kind=meter', '/gear/8/edit', '/rigs/new', '/rigs/1', '/rigs/2', '/plan', '/plan/which_tilt', '/tests/3', '/tests/3/sheet', '/tests/3/preflight', '/tests/3/result', '/tests/3/report', '/meters', '/unlike', '/strings?amps=7.2+9.0+6.8&combined=22', '/used', '/used?whole=23.6&cover1=21.6&cover2=23.6&cover3=21.6', '/ways?wiring=3+x+S-1&controller=8', '/tests/4/result', '/shadow?date=2026-12-21', '/controllers?in_v=13.4&in_a=2.33&out_v=13.16&out_a=2.27', '/shade?wiring=S-1+%2B+O-1&pattern=corner', '/measure', '/results', '/league', '/again', '/reviews', '/reviews/1', '/kinds', '/kinds/10', '/panels/2', '/gear/9', '/logs', '/logs/1', '/logs/import', '/hours?first=1', '/keep-up']) {
      await page.goto(demo.url + path);
      for (const width of [360, 390]) {
        await page.setViewportSize({ width, height: 800 });
        // Against the width that was set: a phone's own width grows with what does not fit.
        expect(await page.evaluate(() => document.documentElement.scrollWidth), `${path} at ${width}`).toBeLessThanOrEqual(width);
      }
    }
  });
});

test('a table goes out and comes in again without adding anything', async ({ page, demo }) => {
  await page.goto(`${demo.url}/tests/1/result`);
  const [download] = await Promise.all([page.waitForEvent('download'), page.getByRole('link', { name: 'CSV' }).click()]);
  const file = await download.path();
  expect(readFileSync(file, 'utf8').split('\n')[0]).toContain('voltage_v,voltage_v_high');
  await page.goto(`${demo.url}/import`);
  await page.setInputFiles('#file', file);
  await page.getByRole('button', { name: 'Import' }).click();
  await expect(page.getByRole('status')).toContainText('Nothing new');
  await page.setInputFiles('#file', { name: 'readings.csv', mimeType: 'text/csv', buffer: Buffer.from('taken_utc,a\n1,2\n') });
  await page.getByRole('button', { name: 'Import' }).click();
  await expect(page.getByRole('alert')).toContainText('Line 1, column a');
  // What is no table of a bench is read as a logger's file, where it is shown as it was understood.
  const samples = 'time_utc,power_w\n2026-06-21T11:20:00Z,150\n2026-06-21T11:21:00Z,151\n';
  await page.setInputFiles('#file', { name: 'roof.csv', mimeType: 'text/csv', buffer: Buffer.from(samples) });
  await page.getByRole('button', { name: 'Import' }).click();
  await expect(page).toHaveURL(/\/logs\/files\//);
  await expect(page.getByRole('heading', { name: /roof\.csv/ })).toBeVisible();
});

test('a contradiction is shown while typing and may be kept on purpose', async ({ page, own }) => {
  await page.goto(`${own.url}/panels/new`);
  await page.getByLabel('Tag').fill('X-1');
  await page.getByLabel('Rated power').fill('250');
  await page.getByLabel('Voc', { exact: true }).fill('30.4');
  await page.getByLabel('Vmp', { exact: true }).fill('37.8');
  await expect(page.locator('[data-field=vmp_v] .notes')).toContainText('must be below Voc');
  await page.getByRole('button', { name: 'Save' }).click();
  await expect(page.getByRole('alert').first()).toContainText('contradicts itself');
  await expect(page.getByLabel('Vmp', { exact: true })).toHaveValue('37.8');
  await page.getByLabel(/Save with these contradictions/).check();
  await page.getByRole('button', { name: 'Save' }).click();
  await expect(page.getByRole('heading', { name: 'X-1' })).toBeVisible();
});

test('a multimeter alone gives no watts, and says what it proves', async ({ page, demo }) => {
  await page.goto(`${demo.url}/tests/new?panel=2`);
  await page.getByLabel(/multimeter only/).check();
  await page.getByRole('button', { name: 'Start logging' }).first().click();
  await log(page, '34.1 V 7.9 A 905 W/m2 50 C');
  await expect(page.locator('.answers')).toContainText('were read, not power');
  await page.getByRole('link', { name: /^Result( r)?$/ }).click();
  await expect(page.getByRole('heading', { name: 'Not supported' })).toBeVisible();
  expect(await page.locator('main').innerText()).not.toMatch(/\d\s*W\b(?!\/)/);
});
