import { expect, test } from '@playwright/test';
import { STAND_INS_URL } from '../playwright.config.js';
import { episode, heldTo, HOUR, MINUTE, windowOf } from '../windows.js';

test.describe('while it goes on', () => {
  test('what is wrong is found, the change taken back, and the recovery seen', async ({ page, request }) => {
    test.setTimeout(300_000);
    await request.post('/api/v1/cases', { data: { name: 'Boardings refused' } });
    const { start } = episode('E1');
    await page.goto(`/health?${windowOf(start - 10 * MINUTE, await heldTo(page))}`);
    await page.getByRole('button', { name: 'investigate this' }).click();
    const cause = page.getByTestId('cause').first();
    await expect(cause).toContainText('lease_time of berth-allocator: 30s → 3s', { timeout: 120_000 });
    await page.getByText('what was done').click();
    const recovery = page.getByTestId('recovery');
    await expect(recovery).toHaveAttribute('data-state', 'goes on', { timeout: 30_000 });
    await page.getByText('what was found').click();
    await cause.getByRole('button', { name: 'take it back' }).click();
    await page.getByRole('dialog').getByRole('button', { name: 'take it back' }).click();
    await expect(page.getByRole('status')).toContainText('The change control takes it back');
    // Half a minute of the fleet passes in a second of ours.
    await request.post(`${STAND_INS_URL}/clock`, { data: { speed: 30 } });
    await page.getByText('what was done').click();
    await expect(recovery).toHaveAttribute('data-state', 'recovered', { timeout: 120_000 });
    await expect(recovery).toContainText(/[Rr]ecovered since/);
    await request.post(`${STAND_INS_URL}/clock`, { data: { speed: 0 } });
    const id = new URL(page.url()).searchParams.get('case');
    const cases = (await (await request.get('/api/v1/cases')).json()) as { id: number }[];
    const report = await request.get(`/api/v1/cases/${id ?? cases[0]!.id}/report`);
    expect(await report.text()).toMatch(/recovered since/i);
  });

  test('runs that fail for three days are traced to a change, which is taken back, and recover', async ({
    page,
    request,
  }) => {
    test.setTimeout(300_000);
    await request.post('/api/v1/cases', { data: { name: 'Manifests not exported' } });
    const to = await heldTo(page);
    await page.goto(`/runs?${windowOf(to - 24 * HOUR, to)}&job=manifest-export`);
    await page.getByRole('button', { name: 'investigate this' }).click();
    const cause = page.getByTestId('cause').first();
    await expect(cause).toContainText('export library 4.1.3 → 4.2.0', { timeout: 60_000 });
    await cause.getByRole('button', { name: 'take it back' }).click();
    await page.getByRole('dialog').getByRole('button', { name: 'take it back' }).click();
    await expect(page.getByRole('status')).toContainText('The change control takes it back');
    await page.getByText('what was done').click();
    const recovery = page.getByTestId('recovery');
    await expect(recovery).toHaveAttribute('data-state', /goes on|too early to say/, { timeout: 30_000 });
    // Runs come every quarter of an hour: a minute of the fleet passes in a second of ours.
    await request.post(`${STAND_INS_URL}/clock`, { data: { speed: 60 } });
    await expect(recovery).toHaveAttribute('data-state', 'recovered', { timeout: 200_000 });
    // A run that was on its way when the change was taken back may have failed still.
    const told = /([\d.]+)% of (\d+) runs of manifest-export went wrong since then/.exec(
      (await recovery.textContent()) ?? '',
    );
    expect((Number(told?.[1]) * Number(told?.[2])) / 100).toBeLessThan(1.5);
    await request.post(`${STAND_INS_URL}/clock`, { data: { speed: 0 } });
  });
});
