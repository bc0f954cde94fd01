// Capture when things go wrong: reload, lost connection, restart, slips.
import { expect, log, ready, test } from './bench.js';

test.beforeEach(async ({ page, demo }) => {
  await page.goto(`${demo.url}/tests/1`);
});

test('what was typed survives a reload', async ({ page }) => {
  await page.locator('#line').fill('18.4 V 8.5 A 880 W');
  await page.reload();
  await expect(page.locator('#line')).toHaveValue('18.4 V 8.5 A 880 W');
});

test('the bench stopped and started again: nothing is lost, nothing is there twice', async ({ page, demo }) => {
  const readings = page.locator('.readings > li');
  const before = await readings.count();
  await log(page, '18.41 V 8.51 A 884 W/m2 49.6 C');
  await demo.stop('SIGKILL');
  for (const volts of ['18.42', '18.43', '18.44']) {
    await page.locator('#line').fill(`${volts} V 8.5 A 885 W/m2 49.7 C`);
    await page.locator('#line').press('Enter');
  }
  await expect(page.locator('.waiting li')).toHaveCount(3);
  await expect(page.locator('.waiting')).toContainText('No connection to the bench. Kept here');
  await page.locator('#line').fill('18.45 V');
  await demo.start();
  await expect(readings).toHaveCount(before + 4);
  await expect(page.locator('.waiting')).toBeHidden();
  await expect(page.locator('#line')).toHaveValue('18.45 V');
  await page.reload();
  await expect(readings).toHaveCount(before + 4);
});

test('lines that wait survive a reload of the page', async ({ page, demo }) => {
  const before = await page.locator('.readings > li').count();
  await page.route('**/api/v1/tests/*/readings', (route) => route.abort());
  await page.locator('#line').fill('18.42 V 8.5 A 885 W/m2 49.7 C');
  await page.locator('#line').press('Enter');
  await expect(page.locator('.waiting li')).toHaveCount(1);
  await page.unroute('**/api/v1/tests/*/readings');
  await page.reload();
  await expect(page.locator('.readings > li')).toHaveCount(before + 1);
  expect(demo.url).toBeTruthy();
});

test('an answer that got lost does not make a second reading', async ({ page }) => {
  const before = await page.locator('.readings > li').count();
  let lost = 0;
  await page.route('**/api/v1/tests/*/readings', async (route) => {
    if (lost++ > 0) return route.continue();
    await route.fetch(); // the bench takes it, the page never hears
    return route.abort();
  });
  await page.locator('#line').fill('18.42 V 8.5 A 885 W/m2 49.7 C');
  await page.locator('#line').press('Enter');
  await expect(page.locator('.waiting')).toBeHidden({ timeout: 10_000 });
  await expect(page.locator('.readings > li')).toHaveCount(before + 1);
  await page.reload();
  await expect(page.locator('.readings > li')).toHaveCount(before + 1);
});

test('a line that is not understood comes back with the reason', async ({ page }) => {
  await page.locator('#line').fill('18.4 V 5.6');
  await expect(page.locator('#understood')).toContainText('5.6 has no unit');
  await page.locator('#line').press('Enter');
  await expect(page.getByRole('alert')).toContainText('5.6 has no unit');
  await expect(page.locator('#line')).toHaveValue('18.4 V 5.6');
});

test('the last reading is undone and corrected, and what it was stays to be seen', async ({ page }) => {
  await log(page, '184 V 8.5 A 885 W/m2 49.7 C');
  await page.keyboard.press('Escape');
  const newest = page.locator('.readings > li').first();
  await newest.locator('summary').click();
  await newest.getByLabel('Corrected line').fill('18.4 V 8.5 A 885 W/m2 49.7 C');
  await newest.getByLabel('Why').fill('decimal point');
  await newest.getByRole('button', { name: 'Save the correction' }).click();
  await expect(page.locator('.readings > li').first()).toContainText('corrected: decimal point');
  await expect(page.locator('.readings > li').first().locator('.reading-past s')).toContainText('184');
  await ready(page);
  await page.locator('#line').press('Escape');
  await page.keyboard.press('u');
  await expect(page.locator('.readings > li').first()).toContainText('withdrawn');
  await page.locator('.readings > li').first().getByRole('button', { name: /Restore/ }).click();
  await expect(page.locator('.readings > li').first().locator('.reading-watts')).toContainText('156.4');
});

test('the last line comes back with the arrow, a time may be set', async ({ page }) => {
  await log(page, '18.40 V 8.50 A 885 W/m2 49.7 C @00:00:01');
  await expect(page.locator('.readings')).toContainText('00:00:01');
  await page.locator('#line').press('ArrowUp');
  await expect(page.locator('#line')).toHaveValue('18.40 V 8.50 A 885 W/m2 49.7 C @00:00:01');
  await page.locator('#line').fill('');
  await page.getByText('Set the time').click();
  await page.getByLabel('The line is of').check();
  await page.locator('input[name=taken]').fill('2026-09-12T14:02:03');
  await log(page, '18.40 V 8.50 A 885 W/m2 49.7 C');
  await expect(page.locator('.readings')).toContainText('12 September 2026, 14:02:03');
});
