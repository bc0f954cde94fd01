import { chromium } from '@playwright/test';
const url = process.argv[2];
const shots = JSON.parse(process.argv[3]);
const browser = await chromium.launch({ executablePath: '/usr/bin/chromium', args: ['--no-sandbox', '--disable-quic'] });
for (const [name, path, w, h, light, line, click, full] of shots) {
  const context = await browser.newContext({ viewport: { width: w, height: h } });
  await context.addCookies([{ name: 'flindo-theme', value: light, url }]);
  const page = await context.newPage();
  page.on('pageerror', (e) => console.log('ERR', name, e.message));
  page.on('console', (m) => m.type() === 'error' && console.log('CON', name, m.text()));
  await page.goto(url + path); await page.waitForTimeout(900);
  if (line) { await page.locator('#line').fill(line); await page.waitForTimeout(500); }
  if (click) { await page.locator(click).first().click(); await page.waitForTimeout(500); }
  await page.screenshot({ path: `/tmp/w/shots/${name}.png`, fullPage: !!full });
  await context.close();
}
await browser.close();
