// Place, rail, Today, Aim and the planner, as they are used.
import { expect, log, test } from './bench.js';

test('a place by keyboard, and the sun is there', async ({ page, own }) => {
  await page.goto(own.url);
  await page.getByRole('link', { name: 'Add a place' }).press('Enter');
  const fields = { Name: 'Yard', 'Latitude, north positive': '38,6', 'Longitude, east positive': '-7.9', 'Elevation': '300' };
  for (const [label, text] of Object.entries(fields)) {
    await page.getByLabel(label).focus();
    await page.keyboard.press('ControlOrMeta+a');
    await page.keyboard.type(text);
  }
  await page.getByLabel('Time zone').fill('Europe/Lisbon');
  await page.getByLabel(/Horizon profile/).fill('90 14, 125 3');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('heading', { name: /^Good hours today/ })).toBeVisible();
  await expect(page.locator('.rail-facts')).toContainText('solar noon');
  await expect(page.locator('.rail-facts')).toContainText('39° to the south');
});

test('the rail tells the irradiance under the pointer', async ({ page, demo }) => {
  await page.goto(demo.url);
  const strip = page.locator('.rail-strip');
  const box = await strip.boundingBox();
  await page.mouse.move(box.x + box.width / 2, box.y + box.height / 2);
  await expect(page.locator('[data-readout]')).toContainText(/\d\d:\d\d\s+\d+\sW\/m²/);
});

test('the place is taken from the device when it is allowed', async ({ browser, demo }) => {
  const context = await browser.newContext({ geolocation: { latitude: -33.9, longitude: 18.4 }, permissions: ['geolocation'] });
  const page = await context.newPage();
  await page.goto(`${demo.url}/places/new`);
  await page.getByRole('button', { name: 'Use device location' }).click();
  await expect(page.getByLabel('Latitude, north positive')).toHaveValue('-33.9000');
  await context.close();
});

test('the day on which the clocks change is placed right', async ({ page, demo }) => {
  await page.goto(`${demo.url}/tests/1`);
  await page.getByText('Set the time').click();
  await page.getByLabel('The line is of').check();
  // Noon by the clock the day before and the day after: an hour apart by the sun.
  for (const [day, solar] of [['2026-10-24', '10:44'], ['2026-10-25', '11:44']]) {
    await page.locator('input[name=taken]').fill(`${day}T12:00:00`);
    await log(page, '18.40 V 8.50 A 885 W/m2 49.7 C');
    await expect(page.locator('.readings > li').first()).toContainText(`solar time ${solar}`);
  }
});

test('a polar place has a rail too', async ({ page, demo }) => {
  await page.goto(`${demo.url}/places/new`);
  await page.getByLabel('Name').fill('Pole');
  await page.getByLabel('Latitude, north positive').fill('90');
  await page.getByLabel('Longitude, east positive').fill('0');
  await page.getByLabel('Time zone').fill('UTC');
  await page.getByRole('button', { name: 'Save' }).click();
  await expect(page.locator('.rail-facts')).toContainText(/the sun does not (set|rise)|rises|sets/);
});

test('aim answers while it is typed, by keyboard', async ({ page, demo }) => {
  await page.goto(`${demo.url}/aim`);
  await page.getByLabel('Height of the gauge').focus();
  await page.keyboard.type('100');
  await page.keyboard.press('Tab');
  await page.keyboard.type('36,4');
  await expect(page.locator('[data-answer=shadow]')).toContainText('20.0°');
  await page.getByLabel('Rise').fill('7');
  await page.getByLabel('Run', { exact: true }).fill('12');
  await expect(page.locator('[data-answer=pitch]')).toContainText('30.3°');
});

test('the planner answers another sky without leaving the page', async ({ page, demo }) => {
  await page.goto(`${demo.url}/tilt`);
  await expect(page.locator('.answer-line')).toContainText('is the best single tilt');
  await page.getByLabel('Sky', { exact: true }).focus();
  await page.getByLabel('Sky', { exact: true }).selectOption('clear');
  await expect(page.locator('[data-answer=plan]')).toContainText('a clear sky every day');
  await page.getByLabel('Your tilt', { exact: true }).fill('steep');
  await expect(page.getByRole('alert')).toContainText('is not a number');
  await page.setInputFiles('#file', { name: 'letter.epw', mimeType: 'text/plain', buffer: Buffer.from('Dear bench keeper') });
  await page.getByRole('button', { name: 'Load file' }).click();
  await expect(page.getByRole('alert')).toContainText('not an EPW weather file');
});
