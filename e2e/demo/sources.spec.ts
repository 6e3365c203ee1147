import { expect, test } from '@playwright/test';

test.describe('sources', () => {
  test('lists who sends lines and spans, and opens the lines of one', async ({ page }) => {
    await page.goto('/sources');
    const rows = page.getByTestId('source');
    await expect(rows.filter({ hasText: 'lines' })).toHaveCount(11);
    await expect(rows.filter({ hasText: 'syslog lines' })).toContainText('notice-sender');
    await expect(rows.filter({ hasText: 'spans' })).toHaveCount(8);
    await expect(page.getByTestId('finding')).toContainText('11 sources send');
    await page.getByRole('button', { name: 'ledger-db' }).click();
    await expect(page.getByText('20 of its newest 20 lines can be read as plain text')).toBeVisible();
    await page.getByRole('combobox', { name: 'Format' }).click();
    await page.getByRole('option', { name: 'JSON lines' }).click();
    await expect(page.getByText('0 of its newest 20 lines can be read as JSON lines')).toBeVisible();
    // The address brings back what is open.
    await page.reload();
    await page.getByRole('button', { name: 'open its lines' }).click();
    await expect(page).toHaveURL(/\/logs\?.*source/);
  });

  test('requests, series, runs and changes are in the API', async ({ request }) => {
    const health = (await (await request.get('/api/v1/datasets')).json()) as {
      window: { from: string; to: string };
    }[];
    const to = Date.parse(health[0]!.window.to);
    const window = { from: new Date(to - 40 * 60_000).toISOString(), to: new Date(to).toISOString() };
    const post = async <T>(path: string, data: object): Promise<T> =>
      (await (await request.post(`/api/v1/${path}`, { data })).json()) as T;
    const spans = await post<{ rows: [string, number][] }>('logs/summary', {
      dataset: 'live/spans',
      window,
      expression: 'parent is absent and http.response.status_code = 503 then count by http.route',
    });
    // Other routes fail once in a thousand, as ever.
    const often = spans.rows.filter(([, count]) => count > 20).map(([route]) => route);
    expect(often.sort()).toEqual(['/v1/boardings', '/v1/sailings/*/plan']);
    const offset = await post<{ lines: { max: number[]; values: number[] }[] }>('metrics/query', {
      metric: 'system.clock.offset',
      window: {
        from: new Date(to - 11 * 3_600_000).toISOString(),
        to: new Date(to - 8 * 3_600_000).toISOString(),
      },
    });
    // One of many clocks is wrong: the largest shows it, the average looks calm.
    expect(Math.max(...offset.lines[0]!.max)).toBeGreaterThan(40);
    expect(Math.max(...offset.lines[0]!.values)).toBeLessThan(3);
    const runs = await post<{ runs: { job: string }[] }>('runs/search', { window, states: ['starting'] });
    expect(runs.runs.map(({ job }) => job)).toEqual(['tide-import']);
    const changes = await post<{ changes: { title: string }[] }>('changes/search', {
      window: { ...window, from: new Date(to - 60 * 60_000).toISOString() },
    });
    expect(changes.changes.map(({ title }) => title)).toContain(
      'configuration lease_time of berth-allocator: 30s → 3s',
    );
  });
});
