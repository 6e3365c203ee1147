import { expect, test } from '@playwright/test';
import { episode, heldTo, HOUR, MINUTE, windowOf } from '../windows.js';
import { accessible } from '../accessible.js';

/** Nothing serious for those who can not see, or use no mouse. */
test.describe('what is wrong, for whom', () => {
  test('the headline episode, from the sentence of the hour to the span where it begins', async ({
    page,
  }) => {
    await page.goto('/');
    // Without a focus it is about the last hour.
    await expect(page).toHaveURL(/\/health/);
    const finding = page.getByTestId('finding');
    await expect(finding).toContainText(/of requests fail, since .+ is usual/);
    await expect(finding).toContainText('they begin at berth-allocator, in all of its instances alike');
    await expect(finding).toContainText(/boardings a minute [\d.]+% down/);
    await expect(page.getByTestId('checks')).toContainText('in one instance only');
    await accessible(page);

    await page.getByRole('link', { name: 'the failing requests' }).click();
    await expect(page).toHaveURL(/\/requests\?.*which=failed/);
    await expect(page.getByTestId('operations')).toContainText('POST /v1/boardings');
    await expect(finding).toContainText('failed');
    await page.getByTestId('request').first().getByRole('button').click();
    await expect(finding).toContainText(
      'It began at berth-allocator, lease berth (“lease not granted in time”)',
    );
    await expect(page.getByRole('treeitem', { selected: true })).toContainText('berth-allocator');
    await page.getByRole('button', { name: /in Logs/ }).click();
    await expect(page).toHaveURL(/\/logs\?.*scope=trace/);
    await expect(page.getByTestId('line').first()).toBeVisible();
  });

  test('one of six instances, whose failures all requests together hide', async ({ page }) => {
    const { start, end } = episode('E4');
    await page.goto(`/health?${windowOf(start, end)}`);
    const finding = page.getByTestId('finding');
    await expect(finding).toContainText('of POST /v1/passes/scan fail');
    await expect(finding).toContainText('from one of 6 instances of boarding-api, boarding-api-4');
    await expect(page.getByTestId('checks')).toContainText('boarding-api-4 (41 s) is off');
    await page.getByRole('button', { name: 'Test boarding-api-4 against its siblings' }).click();
    await expect(page.getByTestId('suspect')).toContainText('Failing follows boarding-api-4');
    await accessible(page);
  });

  test('slow without any error: the twin shows the calls and the class of vessel', async ({ page }) => {
    const to = await heldTo(page);
    await page.goto(`/requests?${windowOf(to - 6 * HOUR, to - 2 * HOUR)}`);
    await page
      .getByTestId('operations')
      .getByRole('button', { name: /GET \/v1\/sailings/ })
      .click();
    await page.getByText('slow, no error').click();
    await expect(page.getByText(/kept, of GET/)).toBeVisible();
    await expect(page.getByTestId('request').first()).toContainText('GET /v1/sailings');
    await page.getByTestId('request').first().getByRole('button').click();
    await expect(page.getByTestId('span').filter({ hasText: 'select' })).toContainText(/\d{3} ×/);
    await page.getByText('healthy twin').click();
    await expect(page.getByTestId('twin')).toContainText(
      /vessel_class is catamaran, not .+; \d{3} times sailing-planner select ledger-db, not \d\b/,
    );
    await accessible(page);
  });

  test('a gap that nothing accounts for, beside the runs of a job', async ({ page }) => {
    const to = await heldTo(page);
    await page.goto(`/requests?${windowOf(to - 4 * HOUR, to)}&which=slow+without+error&order=oldest`);
    await page
      .getByTestId('operations')
      .getByRole('button', { name: /POST \/v1\/quotes/ })
      .click();
    await expect(page.getByText(/kept, of POST \/v1\/quotes/)).toBeVisible();
    await expect(page.getByTestId('request').nth(3)).toContainText('POST /v1/quotes');
    await page.getByTestId('request').nth(3).getByRole('button').click();
    await expect(page.getByTestId('finding')).toContainText(
      /not accounted for: in fare-quoter price trip, before its first call/,
    );
    await page.getByText('healthy twin').click();
    await expect(page.getByTestId('beside')).toContainText('ran beside a run of pass-settlement');
  });

  test('the tally shows the two ports whose runs fail, and why', async ({ page }) => {
    const to = await heldTo(page);
    await page.goto(`/runs?${windowOf(to - 24 * HOUR, to)}`);
    const tally = page.getByTestId('tally').filter({ hasText: 'manifest-export' });
    await expect(tally).toContainText(
      /all of them with 2 of 6 by port, (osprey-rock and brannay|brannay and osprey-rock)/,
    );
    await accessible(page);
    await page.getByText('gone wrong', { exact: true }).click();
    await page.getByTestId('run').filter({ hasText: 'failed' }).first().getByRole('button').click();
    await expect(page.getByTestId('finding')).toContainText('at the step encode');
    await expect(page.getByText('Glyphs.java:118')).toBeVisible();
    await expect(page.getByTestId('last-good')).toContainText('step write');
    await accessible(page);
  });

  test('a run that hangs, and the last line that it wrote', async ({ page }) => {
    const to = await heldTo(page);
    await page.goto(`/runs?${windowOf(to - 2 * HOUR, to)}`);
    await expect(page.getByTestId('finding')).toContainText(
      'one is stuck: tide-import has been starting for',
    );
    await page.getByText('stuck', { exact: true }).click();
    await expect(page.getByTestId('run')).toHaveCount(1);
    await page.getByTestId('run').getByRole('button').click();
    await expect(page.getByTestId('finding')).toContainText(
      /Its last line: “lock file \/var\/spool\/tide\/import\.lock is held by run/,
    );
  });

  test('cut lines make cohorts, and the scope narrows requests by what any of their records says', async ({
    page,
  }) => {
    const to = await heldTo(page);
    await page.goto(`/requests?${windowOf(to - HOUR, to)}&slower=1`);
    const slower = page.getByRole('button', { name: /slower than 1 s/ });
    await expect(slower).toBeVisible();
    await slower.click();
    await expect(page.getByText(/kept, of those slower/)).toBeVisible();
    await page.goto(
      `/requests?${windowOf(to - HOUR, to)}&scope=${encodeURIComponent('"not granted within"')}`,
    );
    await expect(page.getByTestId('finding')).toContainText('100% failed');
  });

  test('the ladder begins at the store of leases, with the change just before, and leaves the decoy out', async ({
    page,
  }) => {
    const { start } = episode('E1');
    await page.goto(`/onsets?${windowOf(start - 10 * MINUTE, start + 30 * MINUTE)}`);
    await expect(page.getByTestId('finding')).toContainText('left the normal', { timeout: 50_000 });
    const origins = page.getByTestId('origins');
    await expect(origins.getByRole('button').first()).toHaveText(/^(lock-store|berth-allocator), /);
    await expect(origins).toContainText('configuration lease_time of berth-allocator: 30s → 3s');
    const rows = await page.getByTestId('onset').allTextContents();
    expect(rows.some((row) => row.includes('fare-quoter'))).toBe(false);
    expect(rows.some((row) => row.includes('store.operations'))).toBe(true);
    expect(rows.some((row) => row.includes('share that fails'))).toBe(true);
    expect(rows.some((row) => row.includes('rates.age'))).toBe(false);
    await page.getByTestId('onset').filter({ hasText: 'queue.depth' }).click();
    await expect(origins).toContainText('4 series');
    await accessible(page);
  });

  test('a quiet hour has no ladder', async ({ page }) => {
    const { start } = episode('E8');
    await page.goto(`/onsets?${windowOf(start - 18 * HOUR, start - 17 * HOUR)}`);
    await expect(page.getByTestId('finding')).toContainText('Nothing left its normal range', {
      timeout: 50_000,
    });
  });

  test('the map shows which call fails last on the way', async ({ page }) => {
    const to = await heldTo(page);
    await page.goto(`/map?${windowOf(to - 30 * MINUTE, to)}`);
    await expect(page.getByTestId('finding')).toContainText(
      'the last on their way is sailing-planner → berth-allocator',
    );
    await page.getByRole('button', { name: 'berth-allocator', exact: true }).click();
    await expect(page.getByTestId('chosen')).toContainText('lease_time');
    await page.keyboard.press('Escape');
    await page.getByRole('combobox', { name: 'Way that is lit' }).click();
    await page.getByRole('option', { name: 'of the failing' }).click();
    await expect(page.getByTestId('finding')).toContainText(
      'the last that fails on it is sailing-planner → berth-allocator',
      { timeout: 30_000 },
    );
    await accessible(page);
    await page.getByText('matrix').click();
    await expect(page.getByTestId('matrix')).toContainText('lock-store');
  });
});
