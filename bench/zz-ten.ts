import { chromium } from '@playwright/test';
const url = 'http://127.0.0.1:4180';
const all = '2026-03-02T00:00:00Z~2026-03-02T03:58:05Z', half = '2026-03-02T02:00:00Z~2026-03-02T03:58:05Z';
const browser = await chromium.launch({ executablePath: '/usr/bin/chromium', args: ['--no-sandbox'] });
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
const med = (v: number[]) => [...v].sort((a, b) => a - b)[v.length >> 1]!.toFixed(0);
async function time(address: string, sel: string): Promise<number> {
  const t = Date.now(); await page.goto(url + address); await page.waitForSelector(sel, { timeout: 60000 }); return Date.now() - t;
}
const enc = encodeURIComponent;
for (const [name, address, sel] of [
  ['logs all', `/logs?focus=${all}`, '[data-testid="line"]'],
  ['logs half', `/logs?focus=${half}`, '[data-testid="line"]'],
  ['logs phrase', `/logs?focus=${all}&scope=${enc('"region compiled stale"')}`, '[data-testid="line"]'],
  ['logs rare trace', `/logs?focus=${all}&scope=${enc('trace = 268be6a9086e30f17504caa8fe3c047f')}`, '[data-testid="line"]'],
  ['logs duration>2900', `/logs?focus=${all}&scope=${enc('duration_ms > 2990 and level = error')}`, '[data-testid="line"]'],
  ['logs regex', `/logs?focus=${all}&scope=${enc('text ~ /region.*(7|8)4ms/')}`, '[data-testid="line"]'],
  ['patterns all', `/patterns?focus=${all}`, '[data-testid="pattern"]'],
  ['patterns half', `/patterns?focus=${half}`, '[data-testid="pattern"]'],
  ['patterns scoped', `/patterns?focus=${half}&scope=${enc('level = error')}`, '[data-testid="pattern"]'],
  ['patterns by field', `/patterns?focus=${half}&scope=${enc('duration_ms > 2500')}`, '[data-testid="pattern"]'],
] as const) {
  const took: number[] = [];
  try { for (let i = 0; i < 4; i++) took.push(await time(address, sel)); } catch (e) { console.log(name, 'failed', String(e).slice(0, 100)); }
  console.log(name, 'first', took[0], 'then', took.slice(1).join(' '));
}
await browser.close();
