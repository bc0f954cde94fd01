// Results found again, by somebody who follows only what the screen says: ten tasks by keyboard and by thumb, each with its count of acts (a
// link, a button, a choice or a field filled is one); and labels of drawings that never collide.
import { expect, ready, test } from './bench.js';

// Each act is done by its own means: Enter on what has the focus, or a tap.
const by = (page, isTouch) => {
  const acts = { count: 0 };
  acts.go = async (locator) => {
    acts.count += 1;
    if (isTouch) await locator.tap();
    else { await locator.focus(); await page.keyboard.press('Enter'); }
  };
  acts.fill = async (locator, text) => { acts.count += 1; await locator.fill(text); };
  acts.choose = async (locator, choice) => { acts.count += 1; await locator.selectOption(choice); };
  acts.check = async (locator) => { acts.count += 1; await locator.check(); };
  acts.room = (name) => acts.go(page.getByRole('navigation', { name: 'Main' }).getByRole('link', { name }));
  acts.page = (room, name) => acts.go(page.getByRole('navigation', { name: room }).getByRole('link', { name }));
  return acts;
};

const TASKS = {
  'find the history of a panel': [2, async (page, acts) => {
    await acts.room('Bench');
    await acts.go(page.getByRole('link', { name: 'U-1', exact: true }));
    await expect(page.locator('#history')).toContainText('%/year over 3.0 years, from 3 tests');
  }],
  'rank by price per measured watt': [1, async (page, acts) => {
    await acts.go(page.getByRole('link', { name: 'by price per measured watt' }));
    await expect(page.getByRole('region', { name: 'Ranking' }).locator('tbody tr').first()).toContainText('EUR/W');
  }],
  'compare the shade of three products': [8, async (page, acts) => {
    await acts.room('Results');
    await acts.fill(page.getByLabel('Words'), 'towel');
    await acts.go(page.getByRole('button', { name: 'Find' }));
    for (const nth of [0, 1, 2]) await acts.check(page.locator('input[name=test]').nth(nth));
    await acts.go(page.getByRole('button', { name: 'Review chosen tests' }));
    await expect(page.locator('.review-table tbody tr').first()).toContainText('towel across');
    await expect(page.locator('.review-table thead th')).toHaveCount(4);
  }],
  'go on with a test of another day': [1, async (page, acts) => {
    await acts.go(page.locator('.go-on-list a').first());
    await expect(page.locator('#line')).toBeVisible();
  }],
  'which panels to test again': [1, async (page, acts) => {
    await acts.go(page.getByRole('link', { name: 'panels to test again' }));
    await expect(page.locator('tbody tr').first()).toContainText('needs irradiance over 700');
  }],
  'the grades of a batch': [3, async (page, acts) => {
    await acts.room('Bench');
    await acts.page('Bench', 'Panel kinds');
    await acts.go(page.getByRole('link', { name: 'Bistre 240' }));
    await expect(page.getByRole('region', { name: 'Grades' })).toContainText('of 10: reject');
  }],
  'whether that controller is tracking': [3, async (page, acts) => {
    await acts.room('Bench');
    await acts.page('Bench', 'Gear and rigs');
    await acts.go(page.getByRole('link', { name: 'Awl 15' }));
    await expect(page.locator('main')).toContainText('not tracking, though sold as tracking');
  }],
  'export a drawing': [2, async (page, acts) => {
    await acts.go(page.getByRole('link', { name: 'League', exact: true }).first());
    const download = page.waitForEvent('download');
    await acts.go(page.getByRole('button', { name: /^Save PNG/ }).first());
    expect((await download).suggestedFilename()).toBe('percent-of-rating-with-expanded-uncertainty.png');
  }],
  'find a test by a word of its note': [3, async (page, acts) => {
    await acts.room('Results');
    await acts.fill(page.getByLabel('Words'), 'droppings');
    await acts.go(page.getByRole('button', { name: 'Find' }));
    await expect(page.locator('.test-row')).toHaveCount(1);
    await expect(page.locator('.test-row')).toContainText('U-1');
  }],
  'start a test from a prediction': [4, async (page, acts) => {
    await acts.room('Plan');
    await acts.page('Plan', 'Shade');
    await acts.go(page.getByRole('button', { name: /Plan this test/ }));
    await expect(page.getByRole('heading', { name: /What does shade cost/ })).toBeVisible();
    await expect(page.locator('#levels')).toHaveValue(/strip along the bottom 10 %/);
    await acts.go(page.getByRole('button', { name: 'Create run sheet' }));
    await expect(page.locator('.run-sheet')).toContainText('strip along the bottom');
  }],
};

for (const [means, isTouch] of [['keyboard', false], ['thumb', true]]) {
  test.describe(`by ${means}`, () => {
    if (isTouch) test.use({ viewport: { width: 390, height: 844 }, hasTouch: true, isMobile: true });

    test('ten tasks, each in so many acts', async ({ page, demo }) => {
      test.setTimeout(180_000);
      for (const [task, [most, done]] of Object.entries(TASKS)) {
        await page.goto(demo.url);
        await ready(page);
        const acts = by(page, isTouch);
        await done(page, acts);
        test.info().annotations.push({ type: task, description: `${acts.count} acts` });
        expect(acts.count, task).toBeLessThanOrEqual(most);
      }
    });
  });
}

test('no two labels of a drawing collide, on the desk and on a phone', async ({ page, demo }) => {
  test.setTimeout(180_000);
  const paths = ['/', '/league', '/panels/1', '/panels/2', '/today', '/tests/1/result', '/tests/3/result', '/tests/4/result', '/logs/1', '/shade',
    '/ways', '/shadow', '/controllers', '/tilt', '/tests/8/result', '/league?by=price_per_w'];
  for (const width of [1280, 390]) {
    await page.setViewportSize({ width, height: 844 });
    for (const path of paths) {
      await page.goto(demo.url + path);
      await ready(page);
      const collided = await page.evaluate(() => [...document.querySelectorAll('main svg.drawing')].flatMap((svg) => {
        // Labels of axes: small, and not over the curves they may cross.
        const texts = [...svg.querySelectorAll('text.small')].map((text) => ({ text: text.textContent, box: text.getBoundingClientRect() }));
        const meet = (a, b) => a.left < b.right - 1 && b.left < a.right - 1 && a.top < b.bottom - 2 && b.top < a.bottom - 2;
        return texts.flatMap((one, nth) => texts.slice(nth + 1).filter((other) => meet(one.box, other.box)).map((other) => `${one.text} | ${other.text}`));
      }));
      expect(collided, `${path} at ${width}`).toEqual([]);
    }
  }
});

test('pages print without navigation and forms, and a run sheet fits one Letter page', async ({ page, demo }) => {
  await page.goto(`${demo.url}/tests/8/sheet`);
  const pages = async () => {
    const pdf = await page.pdf({ format: 'Letter', margin: { top: '12mm', bottom: '12mm', left: '12mm', right: '12mm' } });
    return pdf.toString('latin1').match(/\/Type\s*\/Page[^s]/g).length;
  };
  expect(await pages()).toBe(1);
  await page.emulateMedia({ media: 'print' });
  for (const path of ['/tests/3/result', '/tests/1/report', '/league', '/reviews/1', '/panels/1', '/tests/8/sheet', '/logs/1', '/results']) {
    await page.goto(demo.url + path);
    const shown = page.locator('nav, form, button, input, select, .btn, .foot-line').filter({ visible: true });
    expect(await shown.count(), path).toBe(0);
    expect(await page.locator('main h1, main h2').filter({ visible: true }).count(), path).toBeGreaterThan(0);
  }
});

test('an answer and a table are copied as text, and a drawing is saved with its panel and the day of its test', async ({ page, demo, context }) => {
  await context.grantPermissions(['clipboard-read', 'clipboard-write']);
  await page.goto(`${demo.url}/tests/3/result`);
  await page.getByRole('button', { name: /Copy as text.*Levels in order/ }).click();
  await expect(page.getByRole('status').filter({ hasText: 'Copied.' })).toBeVisible();
  const text = await page.evaluate(() => navigator.clipboard.readText());
  expect(text).toContain('S-1, tested 14 September 2026\n');
  expect(text).toMatch(/\n1 to 3 \u00b7 C 25\u00b0 .* \u00b7 98\.8 \u00b1 1\.8 % \u00b7 2/);
  const [saved] = await Promise.all([
    page.waitForEvent('download'), page.getByRole('button', { name: 'Save SVG' }).first().click(),
  ]);
  expect(saved.suggestedFilename()).toMatch(/^s-1-2026-09-14-.*\.svg$/);
  const svg = (await saved.createReadStream()).setEncoding('utf8');
  let drawn = '';
  for await (const part of svg) drawn += part;
  expect(drawn).toContain('S-1, tested 14 September 2026');
  // Without a secure connection there is no clipboard: the text is shown, and chosen.
  await page.addInitScript(() => Object.defineProperty(navigator, 'clipboard', { value: undefined }));
  await page.reload();
  await page.getByRole('button', { name: /Copy as text.*the answer/ }).click();
  await expect(page.getByLabel('The text, to be copied')).toHaveValue(/35\u00b0/);
});

test('the key of the search box leads to what was written', async ({ page, demo }) => {
  await page.goto(`${demo.url}/panels`);
  await page.keyboard.press('/');
  await page.keyboard.type('barn roof');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('heading', { name: 'What has \u201cbarn roof\u201d' })).toBeVisible();
  await page.getByRole('link', { name: 'U-1', exact: true }).click();
  await expect(page.getByRole('heading', { name: 'U-1' })).toBeVisible();
});
