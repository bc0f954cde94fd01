// Renews docs/screenshots from a fresh demo bench: cargo build && npm run screenshots
// With Debian's faketime installed, FLINDO_CLOCK='2026-09-14 12:40:00' sets the hour in the pictures.
import { spawn } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { chromium } from '@playwright/test';

const root = join(dirname(fileURLToPath(import.meta.url)), '..');
const folder = mkdtempSync(join(tmpdir(), 'flindo-pictures-'));
const url = 'http://127.0.0.1:8799';
const command = [join(root, 'target', 'debug', 'flindo'), 'demo', '--data', join(folder, 'demo.bench'), '--listen', '127.0.0.1:8799'];
if (process.env.FLINDO_CLOCK) command.unshift('faketime', '-f', `@${process.env.FLINDO_CLOCK}`);
const server = spawn(command[0], command.slice(1), { stdio: ['ignore', 'pipe', 'ignore'], env: { ...process.env, TZ: 'UTC' }, detached: true });
await new Promise((resolve) => server.stdout.once('data', resolve));

const desk = { width: 1280, height: 800 };
const phone = { width: 390, height: 844 };
const typed = (line) => async (page) => {
  await page.locator('#line').fill(line);
  await page.locator('#understood .chip').first().waitFor();
};
// The open test of the demo is the one whose runs have states.
const openTest = async () => {
  for (let id = 1; id < 60; id += 1) {
    const answer = await fetch(`${url}/api/v1/tests/${id}`);
    if (answer.ok && (await answer.json()).question === 'open') return `/tests/${id}`;
  }
  throw new Error('the demo has no open test');
};
const PICTURES = [
  ['overview', '/', { width: 1280, height: 1300 }, 'paper'],
  ['logbook', '/results', desk, 'paper'],
  ['league', '/league', { width: 1280, height: 1000 }, 'paper'],
  ['panel', '/panels/2', { width: 1280, height: 1100 }, 'paper'],
  ['review', '/reviews/1', { width: 1280, height: 1000 }, 'paper'],
  ['now-phone', await openTest(), { width: 360, height: 740 }, 'sunlight', typed('tilt 50: 74.1 W')],
  ['result', '/tests/2/result', desk, 'paper'],
  ['report', '/tests/2/report', desk, 'evening'],
  ['today', '/today', desk, 'paper'],
  ['tilt', '/tilt', desk, 'paper'],
  ['plan', '/plan/which_tilt?rig=2&panel=5', desk, 'paper'],
  ['planned-phone', '/tests/3', phone, 'sunlight'],
  ['compare', '/tests/4/result', { width: 1280, height: 1280 }, 'paper'],
  ['meters', '/meters', desk, 'evening'],
  ['shade', '/shade', { width: 1280, height: 1100 }, 'paper'],
  ['shadow', '/shadow', desk, 'paper'],
  ['log', '/logs/1', { width: 1280, height: 1500 }, 'paper'],
  ['hours', '/hours?first=1', { width: 1280, height: 1400 }, 'paper'],
  ['keep-up', '/keep-up?panel=1&count=1&battery=11&spot_percent=60', { width: 1280, height: 1200 }, 'paper'],
];

const browser = await chromium.launch({ executablePath: '/usr/bin/chromium', args: ['--no-sandbox', '--disable-quic', '--no-first-run', '--disable-background-networking'] });
for (const [name, path, viewport, light, act] of PICTURES) {
  const context = await browser.newContext({ viewport });
  await context.addCookies([{ name: 'flindo-theme', value: light, url }]);
  const page = await context.newPage();
  await page.goto(url + path, { waitUntil: 'load' });
  await page.waitForTimeout(700);
  await act?.(page);
  await page.screenshot({ path: join(root, 'docs', 'screenshots', `${name}.png`) });
  await context.close();
}
await browser.close();
// The whole group: the clock's wrapper does not pass the signal on.
process.kill(-server.pid);
rmSync(folder, { recursive: true, force: true });
