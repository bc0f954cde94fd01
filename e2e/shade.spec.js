// The shade bench: painted by pointer and by keyboard.
import { expect, ready, test } from './bench.js';

const left = (page) => page.locator('.left-over .big');

test('a stroke of the pointer is answered, and a stroke back wipes it off', async ({ page, demo }) => {
  await page.goto(`${demo.url}/shade?wiring=S-1&pattern=none`);
  await ready(page);
  await expect(left(page)).toHaveText('100.0 %');
  const cell = (nth) => page.locator(`[data-face="0"] [data-cell="${nth}"]`).boundingBox();
  const middle = (box) => [box.x + box.width / 2, box.y + box.height / 2];
  await page.mouse.move(...middle(await cell(0)));
  await page.mouse.down();
  await page.mouse.move(...middle(await cell(4)), { steps: 8 });
  const began = Date.now();
  await page.mouse.up();
  await expect(left(page)).not.toHaveText('100.0 %');
  test.info().annotations.push({ type: 'from the stroke to its answer, ms', description: String(Date.now() - began) });
  await expect(page.locator('.because')).toContainText('passed around');
  await expect(page.locator('[data-face="0"] .bypassed').first()).toBeAttached();
  await page.getByRole('button', { name: 'Wipe the paint off' }).click();
  await expect(left(page)).toHaveText('100.0 %');
});

test('cells are painted with the arrows and Space', async ({ page, demo }) => {
  await page.goto(`${demo.url}/shade?wiring=S-1+%2B+S-1&pattern=none`);
  await ready(page);
  const face = page.locator('[data-face="1"]');
  await face.focus();
  await expect(face.locator('.cursor')).toHaveAttribute('data-cell', '0');
  await page.keyboard.press('ArrowDown');
  await page.keyboard.press('ArrowRight');
  await expect(face.locator('.cursor')).toHaveAttribute('data-cell', '10');
  await page.keyboard.press('Space');
  await expect(left(page)).not.toHaveText('100.0 %');
  await expect(page.locator('[name=paint1]')).toHaveValue('10');
  // The faces came anew; the keys are still on the same one.
  await expect(page.locator('[data-face="1"]')).toBeFocused();
  await page.keyboard.press('Space');
  await expect(left(page)).toHaveText('100.0 %');
  await page.locator('#pattern').selectOption('whole');
  await expect(page.locator('[data-answer=compare]')).toContainText('all in parallel gives most');
});
