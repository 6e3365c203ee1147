import { test, type Page } from '@playwright/test';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { episode, heldTo, HOUR, MINUTE, windowOf } from '../windows.js';
import { Fleet } from '../../apps/fleet/src/fleet.js';
import { StandIns } from '../../apps/fleet/src/stand-ins/stand-ins.js';
import { LiveClock } from '../../apps/fleet/src/world/live-clock.js';

const pictures = join(dirname(fileURLToPath(import.meta.url)), '../../docs/screenshots');

/** Views of which a picture in the dark is kept; each shows parts that others have too. */
const DARK = ['patterns', 'metrics', 'contrast'];

async function picture(page: Page, name: string): Promise<void> {
  if (name.endsWith('-dark') && !DARK.includes(name.replace('-dark', ''))) return;
  await page.evaluate(() => document.fonts.ready.then(() => undefined));
  await page.mouse.move(0, 799);
  // What is still on its way is dimmed, or stands for lines to come.
  await page.waitForFunction(
    () =>
      document.querySelector('[data-stale="true"], [aria-busy="true"], [class*="Skeleton-root"]') === null,
  );
  await page.waitForTimeout(700);
  await page.screenshot({ path: join(pictures, `${name}.png`) });
}

test('@pictures of the stand-ins', async ({ page }) => {
  const anchor = Date.now();
  const server = await new StandIns(
    new Fleet({ seed: 'pictures', anchor }),
    new LiveClock(anchor, 1, () => 0),
  ).listen(0);
  const { port } = server.address() as { port: number };
  await page.request.post(`http://127.0.0.1:${port}/outbox/pager`, {
    data: { alert: 'boardings deferred', service: 'boarding-api' },
  });
  await page.goto(`http://127.0.0.1:${port}/`);
  await picture(page, 'stand-ins');
  server.close();
});

for (const scheme of ['light', 'dark'] as const) {
  test.describe(`@pictures ${scheme}`, () => {
    test.use({ colorScheme: scheme });
    const name = (view: string): string => (scheme === 'light' ? view : `${view}-dark`);

    test('what is wrong, and what moved', async ({ page }) => {
      test.setTimeout(400_000);
      const { start } = episode('E1');
      const to = await heldTo(page);
      const focus = windowOf(start, to);
      await page.goto(`/health?${focus}`);
      await page.getByTestId('checks').waitFor();
      await page.getByTestId('spread').waitFor();
      await page.getByTestId('unusual').getByRole('link').first().waitFor({ timeout: 30_000 });
      await picture(page, name('health'));
      await page.goto(`/requests?${focus}&slower=1`);
      await page.getByTestId('request').first().waitFor();
      await picture(page, name('requests'));
      await page.goto(
        `/requests?${windowOf(to - 6 * HOUR, to - 2 * HOUR)}&which=slow+without+error&panel=twin`,
      );
      await page
        .getByTestId('operations')
        .getByRole('button', { name: /GET \/v1\/sailings/ })
        .click();
      await page.getByText(/kept, of GET/).waitFor();
      await page
        .getByTestId('request')
        .filter({ hasText: 'GET /v1/sailings' })
        .first()
        .getByRole('button')
        .click();
      await page.getByTestId('twin').locator('table').waitFor();
      await picture(page, name('request'));
      await page.goto(`/runs?${windowOf(to - 24 * HOUR, to)}`);
      await page.getByTestId('tally').first().waitFor();
      await picture(page, name('runs'));
      await page.goto(`/onsets?${windowOf(start - 10 * MINUTE, start + 30 * MINUTE)}`);
      await page.getByTestId('onset').first().waitFor({ timeout: 60_000 });
      await picture(page, name('onsets'));
      const around = windowOf(start - 10 * MINUTE, start + 30 * MINUTE);
      const plots = [
        {
          sources: [
            { of: 'metric', metric: 'store.operations' },
            { of: 'metric', metric: 'queue.depth', where: { service: ['berth-allocator'] } },
          ],
          kind: 'line',
          ghosts: [],
        },
        {
          sources: [
            { of: 'metric', metric: 'process.cpu.utilization', where: { service: ['berth-allocator'] } },
          ],
          kind: 'line',
          ghosts: ['day'],
        },
        { sources: [{ of: 'requests', figure: 'failed' }], kind: 'area', ghosts: ['day', 'week'] },
      ];
      await page.goto(`/metrics?${around}&plots=${encodeURIComponent(JSON.stringify(plots))}`);
      await page.getByRole('complementary').getByText('lay over').first().waitFor({ timeout: 60_000 });
      await picture(page, name('metrics'));
      await page.goto(
        `/contrast?${windowOf(episode('E8').start - 10 * MINUTE, episode('E8').start + 50 * MINUTE)}`,
      );
      await page.getByTestId('signature').first().waitFor({ timeout: 60_000 });
      await picture(page, name('contrast'));
      await page.goto(`/case?${around}${scheme === 'light' ? '&investigate=1' : ''}`);
      await page.getByTestId('cause').first().waitFor({ timeout: 120_000 });
      await picture(page, name('case'));
      if (scheme === 'dark') return;
      await page.goto(`/changes?${around}`);
      await page.getByTestId('change').first().getByText(/moved/).waitFor({ timeout: 60_000 });
      await page.getByTestId('change').filter({ hasText: 'lease_time' }).getByRole('button').click();
      await picture(page, 'changes');
      const cases = (await (await page.request.get('/api/v1/cases')).json()) as { id: number }[];
      await page.goto(`/api/v1/cases/${cases[0]!.id}/report?format=html`);
      await picture(page, 'report');
      await page.goto(`/map?${focus}&node=berth-allocator`);
      await page.getByTestId('chosen').waitFor();
      await picture(page, 'map');
    });

    test('patterns, logs', async ({ page }) => {
      await page.goto('/patterns');
      await page.getByTestId('focus-excess').waitFor();
      await page.getByTestId('focus-excess').click();
      await page.getByTestId('pattern').first().waitFor();
      await picture(page, name('patterns'));
      await page.getByTestId('pattern').filter({ hasText: 'lease lost' }).hover();
      await page
        .getByTestId('pattern')
        .filter({ hasText: 'lease lost' })
        .getByRole('button', { name: 'lines' })
        .click();
      await page.getByTestId('line').nth(2).click();
      await picture(page, name('logs'));
    });

    test('sources', async ({ page }) => {
      test.skip(scheme === 'dark');
      await page.goto('/sources');
      await page.getByRole('main').getByRole('button', { name: 'berth-allocator' }).first().click();
      await page.getByText('lines can be read as').waitFor();
      await picture(page, 'sources');
    });
  });
}
