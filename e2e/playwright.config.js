import { defineConfig, devices } from '@playwright/test';

const chromium = {
  executablePath: '/usr/bin/chromium',
  args: [
    '--no-sandbox', '--disable-quic', '--no-first-run', '--disable-background-networking', '--disable-component-update',
    '--disable-sync',
  ],
};

export default defineConfig({
  testDir: '.',
  outputDir: 'test-results',
  fullyParallel: true,
  workers: 2,
  forbidOnly: Boolean(process.env.CI),
  reporter: 'list',
  // Nothing here is timed: a slow machine is waited for.
  timeout: 90_000,
  expect: { timeout: 15_000 },
  use: { browserName: 'chromium', launchOptions: chromium, timezoneId: 'Europe/Lisbon', locale: 'en-GB' },
  projects: [{ name: 'desk', use: { viewport: { width: 1280, height: 800 } } }],
});
