import { expect, type Page, test } from '@playwright/test';
import { episode, HOUR, MINUTE, windowOf } from '../windows.js';
import { accessible } from '../accessible.js';

/** Rows of the ladder, as they are read out. */
async function ladder(page: Page): Promise<string[]> {
  await page.getByTestId('onset').first().waitFor({ timeout: 45_000 });
  return page
    .getByTestId('onset')
    .evaluateAll((rows) => rows.map((row) => row.getAttribute('aria-label') ?? ''));
}

/** Minutes from the onset of one row to that of another, as they are read out. */
function minutesBetween(one: string, other: string): number {
  const [from, to] = [one, other].map((row) => {
    const [hour, minute] = row.split(' ')[0]!.split(':').map(Number);
    return 60 * hour! + minute!;
  });
  // One of them may be after midnight.
  return ((((to! - from! + 720) % 1440) + 1440) % 1440) - 720;
}

test.describe('what moved with it', () => {
  test('the ladder of the headline episode reads from the lease store to the refusals', async ({ page }) => {
    const { start } = episode('E1');
    await page.goto(`/onsets?${windowOf(start - 12 * MINUTE, start + 35 * MINUTE)}`);
    const rows = await ladder(page);
    const place = (text: string): number => rows.findIndex((row) => row.includes(text));
    const stages = [
      'store.operations',
      'rejected, lease lost',
      'queue.depth',
      'gate-edge, "POST /v1/boardings HTTP/1.1" 50',
    ];
    const places = stages.map(place);
    // Which figure of how long they take moves, and first, is chance: one class of vessel is slow all day.
    const latency = rows.findIndex((row) => /gate-edge, (p95|median) duration/.test(row));
    expect([...places, latency].every((at) => at >= 0)).toBe(true);
    const [operations, rejected, queue, refusals] = places;
    // Operations and the queue are read once a minute: within that, time does not tell which of them came before the first
    // refused lease.
    expect(minutesBetween(rows[operations!]!, rows[rejected!]!)).toBeGreaterThanOrEqual(0);
    expect(operations).toBeLessThan(queue!);
    expect(minutesBetween(rows[queue!]!, rows[rejected!]!)).toBeLessThanOrEqual(1);
    // A gauge that is read once a minute still stands before refusals that are told to the second.
    expect(queue).toBeLessThan(refusals!);
    expect(latency).toBeLessThan(refusals!);
    const origins = page.getByTestId('origins');
    await expect(origins).toContainText('lease_time of berth-allocator: 30s → 3s');
    // The decoy's service is not among the rows, nor is its rollout named as a reason.
    expect(rows.some((row) => row.includes('fare-quoter'))).toBe(false);
    await expect(origins.locator('li')).not.toContainText(['fare-quoter 2.']);
    await accessible(page);
    await page.getByTestId('onset').nth(places[2]!).click();
    await expect(origins).toContainText('berth-allocator-1');
    await page.getByRole('button', { name: 'in Metrics' }).click();
    await expect(page).toHaveURL(/\/metrics\?/);
    await expect(page.getByTestId('plot-finding').first()).toBeVisible();
  });

  test('of last night’s notices the database is a consequence', async ({ page }) => {
    const { start } = episode('E7');
    await page.goto(`/onsets?${windowOf(start - 15 * MINUTE, start + 60 * MINUTE)}`);
    const rows = await ladder(page);
    const mail = rows.findIndex((row) => row.includes('mail gateway answers'));
    const sessions = rows.findIndex((row) => row.includes('db.sessions.active'));
    expect(mail).toBeGreaterThanOrEqual(0);
    expect(mail).toBeLessThan(sessions);
    await page.getByTestId('onset').nth(sessions).click();
    await expect(page.getByTestId('origins')).toContainText('A consequence');
  });

  test('one clock that runs away shows in the maximum, and the average is said to hide it', async ({
    page,
  }) => {
    const { start, end } = episode('E4');
    const plots = JSON.stringify([
      { sources: [{ of: 'metric', metric: 'system.clock.offset' }], kind: 'line', ghosts: [] },
    ]);
    await page.goto(`/metrics?${windowOf(start - 10 * MINUTE, end)}&plots=${encodeURIComponent(plots)}`);
    await expect(page.getByTestId('plot-finding')).toContainText(
      'The average hides it: boarding-api-4 came to 41 s',
    );
  });

  test('series are found by words, laid over each other, and compared', async ({ page }) => {
    const { start } = episode('E1');
    await page.goto(`/metrics?${windowOf(start - 12 * MINUTE, start + 35 * MINUTE)}`);
    await expect(page.getByTestId('plot')).toHaveCount(3);
    await expect(page.getByTestId('plot-finding').first()).toContainText('From nothing');
    await page.getByTestId('find-series').fill('store.operations');
    await expect(page.getByText(/1 series · lock-store/)).toBeVisible();
    await page.getByRole('button', { name: 'store.operations', exact: true }).first().click();
    await expect(page.getByTestId('plot')).toHaveCount(4);
    await expect(page.getByTestId('plot-finding').first()).toContainText('times, from');
    await page.getByTestId('find-series').fill('queue.depth');
    // The metric comes first, the lines that say so after it.
    await page.getByRole('button', { name: 'lay queue.depth over the chosen plot' }).first().click();
    await expect(page.getByTestId('plot').first()).toContainText('store.operations and queue.depth');
    await accessible(page);
    await page.goto(page.url());
    await expect(page.getByTestId('plot').first()).toContainText('store.operations and queue.depth');
    await page.getByText('what moved with this').click();
    await expect(page.getByTestId('related')).toContainText('moved as it did', { timeout: 45_000 });
    await expect(page.getByTestId('related').getByRole('table')).toContainText('berth-allocator');
  });

  test('the change of the lease stands in Changes, with what moved after it', async ({ page }) => {
    const { start } = episode('E1');
    await page.goto(`/changes?${windowOf(start - 12 * MINUTE, start + 35 * MINUTE)}`);
    const row = page.getByTestId('change').filter({ hasText: 'lease_time' });
    await expect(row).toContainText('j.fulmar');
    await expect(row).toContainText(/before .+ moved/, { timeout: 45_000 });
    await expect(page.getByTestId('finding')).toContainText('lease_time');
    await row.getByRole('button').click();
    const detail = page.getByTestId('change-detail');
    await expect(detail.locator('del')).toHaveText('30s');
    await expect(detail.locator('ins')).toHaveText('3s');
    await accessible(page);
    await expect(page.getByTestId('change').filter({ hasText: 'fare-quoter' })).toContainText(
      'with 4 restarts',
    );
  });

  test('the peak, a quiet hour and what flaps are not on the ladder', async ({ page }) => {
    const { end } = episode('E8');
    for (const back of [20, 9]) {
      await page.goto(`/onsets?${windowOf(end - (back + 1) * HOUR, end - back * HOUR)}`);
      await expect(page.getByText('A quiet time')).toBeVisible({ timeout: 45_000 });
    }
  });
});
