// What every page stands on: access, no script, the light, the keys.
import AxeBuilder from '@axe-core/playwright';
import { expect, ready, test } from './bench.js';

export const PAGES = ['/', '/panels', '/panels/1', '/panels/new', '/tests/new', '/tests/1', '/tests/1/result', '/tests/2/result', '/tests/1/report', '/import', '/tests/1/import', '/bench', '/help', '/today', '/aim?upright=10&shadow=4', '/tilt', '/places/new', '/places/1/edit', '/gear', '/gear/new?kind=meter', '/gear/8/edit', '/rigs/new', '/rigs/1', '/rigs/2', '/plan', '/plan/which_tilt', '/plan/shade_cost?rig=1', '/tests/3', '/tests/3/sheet', '/tests/3/preflight', '/tests/3/result', '/tests/3/report', '/meters', '/unlike', '/strings?amps=7.2+9.0+6.8&combined=22', '/used', '/used?whole=23.6&cover1=21.6&cover2=23.6&cover3=21.6', '/ways?wiring=3+x+S-1&controller=8', '/tests/4/result', '/shadow?date=2026-12-21', '/controllers?in_v=13.4&in_a=2.33&out_v=13.16&out_a=2.27', '/shade?wiring=S-1+%2B+O-1&pattern=corner', '/measure', '/results', '/results?q=towel&verdict=differs', '/league', '/league?of=controllers', '/league?by=price_per_w', '/again', '/reviews', '/reviews/1', '/kinds', '/kinds/10', '/panels/2', '/gear/9', '/logs', '/logs/1', '/logs/import', '/hours?first=1', '/keep-up', '/tests/8/result', '/plan/shade_cost?like=4', '/nowhere'];

// A page is loaded once: its structure is the same in the three themes, so that only colours are looked at again. Two halves, for two workers.
for (const half of [0, 1]) {
  test(`no page shuts anybody out, in any theme (${half + 1} of 2)`, async ({ page, demo }) => {
    test.setTimeout(300_000);
    // Buttons would still be on their way from one colour to the next.
    await page.emulateMedia({ reducedMotion: 'reduce' });
    for (const path of PAGES.filter((_, nth) => nth % 2 === half)) {
      await page.goto(demo.url + path);
      for (const light of ['paper', 'sunlight', 'evening']) {
        await page.evaluate((name) => { document.documentElement.dataset.light = name; document.documentElement.dataset.bsTheme = name === 'evening' ? 'dark' : 'light'; }, light);
        const axe = new AxeBuilder({ page });
        const { violations } = await (light === 'paper' ? axe.withTags(['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa']) : axe.withRules(['color-contrast'])).analyze();
        expect(violations.map(({ id, nodes }) => `${path} ${light} ${id}: ${nodes.map((node) => node.html).slice(0, 3).join(' | ')}`)).toEqual([]);
      }
    }
  });
}

test('the light is remembered and is there with the first byte', async ({ page, demo }) => {
  await page.goto(`${demo.url}/panels`);
  await page.getByRole('button', { name: 'Sunlight theme' }).click();
  await expect(page).toHaveURL(/\/panels$/);
  const response = await page.reload();
  expect(await response.text()).toContain('data-light="sunlight"');
});

test('keys, the skip link, and single keys switched off', async ({ page, demo }) => {
  await page.goto(demo.url);
  await page.keyboard.press('Tab');
  await expect(page.getByText('Skip to the page')).toBeFocused();
  await page.keyboard.press('?');
  await expect(page.getByRole('heading', { name: 'Help', level: 1 })).toBeVisible();
  await ready(page);
  await page.keyboard.press('h');
  await expect(page.getByRole('heading', { name: 'Overview' })).toBeVisible();
  await page.goto(`${demo.url}/help`);
  await page.getByLabel('Single keys on').uncheck();
  await page.keyboard.press('h');
  await expect(page.getByRole('heading', { name: 'Help', level: 1 })).toBeVisible();
});

test.describe('with scripts off', () => {
  test.use({ javaScriptEnabled: false });

  test('every form still works', async ({ page, demo }) => {
    await page.goto(`${demo.url}/panels/new`);
    await page.getByLabel('Tag').fill('P-9');
    await page.getByLabel('Rated power').fill('a lot');
    await page.getByRole('button', { name: 'Save' }).click();
    await expect(page.locator('[data-field=rated_w] .notes')).toContainText('is not a number');
    await expect(page.getByLabel('Tag')).toHaveValue('P-9');
    await page.getByLabel('Rated power').fill('200');
    await page.getByRole('button', { name: 'Save' }).click();
    await page.getByRole('link', { name: /^Single rating n$/ }).click();
    await page.getByRole('button', { name: 'Start logging' }).first().click();
    await page.locator('#line').fill('18.4 V 8.5');
    await page.getByRole('button', { name: 'Log', exact: true }).click();
    await expect(page.getByRole('alert')).toContainText('8.5 has no unit');
    await expect(page.locator('#line')).toHaveValue('18.4 V 8.5');
    await page.locator('#line').fill('18.4 V 8.5 A 880 W/m2 49 C');
    await page.getByRole('button', { name: 'Log', exact: true }).click();
    await expect(page.locator('.readings > li')).toHaveCount(1);
    await page.getByRole('button', { name: /Undo/ }).click();
    await expect(page.locator('.readings > li')).toContainText('withdrawn');
    await page.getByRole('button', { name: /Restore/ }).click();
    await page.locator('.readings summary').click();
    await page.getByLabel('Corrected line').fill('18.5 V 8.5 A 880 W/m2 49 C');
    await page.getByRole('button', { name: 'Save the correction' }).click();
    await expect(page.locator('.readings > li')).toContainText('corrected');
    // The frame of a page of work has no room for the themes.
    await page.goto(demo.url);
    await page.getByRole('button', { name: 'Evening theme' }).click();
    await expect(page.locator('html')).toHaveAttribute('data-light', 'evening');
  });
});
