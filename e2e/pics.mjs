import { chromium } from '@playwright/test';
const b = await chromium.launch({ executablePath: '/usr/bin/chromium', args: ['--no-sandbox', '--disable-quic'] });
const [base, ...jobs] = process.argv.slice(2);
for (const job of jobs) { const [name, size, path] = job.split('|'); const [w, h] = size.split('x').map(Number);
  const p = await b.newPage({ viewport: { width: w, height: h } }); await p.goto(base + path); await p.waitForTimeout(300); await p.screenshot({ path: `/tmp/w/${name}.png` }); await p.close(); }
await b.close();
