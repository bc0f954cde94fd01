// A real server on a port of its own with a bench of its own, for each test that asks for one.
import { test as base, expect } from '@playwright/test';
import { spawn } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

const root = join(dirname(fileURLToPath(import.meta.url)), '..');
const program = process.env.FLINDO ?? join(root, 'target', 'debug', 'flindo');

const freePort = () => new Promise((resolve, reject) => {
  const server = createServer();
  server.on('error', reject);
  server.listen(0, '127.0.0.1', () => {
    const { port } = server.address();
    server.close(() => resolve(port));
  });
});

export class Bench {
  constructor(port, folder, kind) {
    Object.assign(this, { port, folder, kind, url: `http://127.0.0.1:${port}` });
  }

  async start() {
    const file = join(this.folder, `${this.kind}.bench`);
    const command = this.kind === 'demo' ? ['demo'] : [];
    this.process = spawn(program, [...command, '--data', file, '--listen', `127.0.0.1:${this.port}`], { stdio: ['ignore', 'pipe', 'inherit'], env: { ...process.env, RUST_LOG: 'warn' } });
    await new Promise((resolve, reject) => {
      this.process.stdout.once('data', resolve);
      this.process.once('exit', (code) => reject(new Error(`flindo ended with ${code}`)));
    });
  }

  async stop(signal = 'SIGTERM') {
    const ended = new Promise((resolve) => this.process.once('exit', resolve));
    this.process.removeAllListeners('exit');
    const done = new Promise((resolve) => this.process.once('exit', resolve));
    this.process.kill(signal);
    await Promise.race([ended, done]);
  }
}

const started = (kind) => async ({}, use) => {
  const folder = mkdtempSync(join(tmpdir(), 'flindo-e2e-'));
  const bench = new Bench(await freePort(), folder, kind);
  await bench.start();
  await use(bench);
  if (bench.process.exitCode === null) await bench.stop();
  rmSync(folder, { recursive: true, force: true });
};

export const test = base.extend({
  demo: started('demo'),
  own: started('own'),
  // Every page of every test: no request leaves for another host, and nothing is refused by the content policy.
  page: async ({ page }, use) => {
    const wrong = [];
    page.on('request', (request) => {
      const { protocol, hostname } = new URL(request.url());
      if (protocol !== 'data:' && hostname !== '127.0.0.1') wrong.push(`request to ${request.url()}`);
    });
    page.on('console', (message) => {
      if (message.type() === 'error' && !/Failed to load resource|ERR_CONNECTION/.test(message.text())) wrong.push(message.text());
    });
    page.on('pageerror', (error) => wrong.push(error.message));
    await use(page);
    expect(wrong).toEqual([]);
  },
});
export { expect };

// Waits until every script of a page that was just come to has run: before that, Enter sends the form as without scripts.
export const ready = async (page) => {
  await expect(page.locator('html.scripted')).toBeAttached();
  await page.waitForFunction(() => document.readyState === 'complete');
};

// Logs one line on a capture page and waits until the bench has it.
export async function log(page, line) {
  await ready(page);
  const before = await page.locator('.readings > li').count();
  await page.locator('#line').fill(line);
  await page.locator('#line').press('Enter');
  await expect(page.locator('.readings > li')).toHaveCount(before + 1);
}
