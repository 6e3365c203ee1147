import { AxeBuilder } from '@axe-core/playwright';
import { expect, type Page, test } from '@playwright/test';
import { readFileSync } from 'node:fs';
import { episode, heldTo, HOUR, MINUTE, windowOf } from './windows.js';

async function accessible(page: Page): Promise<void> {
  const { violations } = await new AxeBuilder({ page }).analyze();
  const serious = violations.filter(({ impact }) => impact === 'serious' || impact === 'critical');
  expect(serious.map(({ id, nodes }) => `${id}: ${nodes[0]!.html}`)).toEqual([]);
}

test.describe('what sets it apart', () => {
  test('the headline episode, from Health to the report', async ({ page }) => {
    test.setTimeout(120_000);
    const { start } = episode('E1');
    await page.goto(`/health?${windowOf(start - 10 * MINUTE, await heldTo(page))}`);
    await expect(page.getByTestId('unusual')).toContainText('berth-allocator', { timeout: 45_000 });
    await page.getByRole('button', { name: 'investigate this' }).click();
    await expect(page.getByTestId('question')).toBeVisible();
    const cause = page.getByTestId('cause').first();
    await expect(cause).toContainText('lease_time of berth-allocator: 30s → 3s', { timeout: 90_000 });
    await expect(cause).toHaveAttribute('data-certainty', 'likely');
    await expect(page.getByTestId('findings')).toContainText('rejected, lease lost');
    await accessible(page);
    // Each finding opens the view behind it.
    await page
      .getByTestId('findings')
      .getByRole('link', { name: /left its normal range/ })
      .first()
      .click();
    await expect(page).toHaveURL(/\/onsets\?.*focus=/);
    await page.goBack();
    await page.getByText('what happened when').click();
    await expect(
      page.locator('[data-testid="timeline-entry"] input[value*="lease_time"]').first(),
    ).toBeVisible();
    await page.getByText('what was done').click();
    await expect(page.getByTestId('recovery')).toHaveAttribute('data-state', 'goes on');
    await page.getByTestId('remedy').first().getByLabel('done').check();
    await page.getByRole('button', { name: 'report' }).click();
    const download = page.waitForEvent('download');
    await page.getByRole('menuitem', { name: 'save as HTML' }).click();
    const report = readFileSync(await (await download).path(), 'utf8');
    for (const part of ['What, and since when', 'For whom', 'Why', 'What was done', '<svg', '30s → 3s'])
      expect(report).toContain(part);
    expect(report).not.toMatch(/<script|<link|src=|url\(/);
  });

  test('two ports of the export, by runs alone, with the line of the stack', async ({ page }) => {
    const to = await heldTo(page);
    await page.goto(`/runs?${windowOf(to - 24 * HOUR, to)}&job=manifest-export`);
    await page.getByRole('button', { name: 'what sets the failed ones apart' }).click();
    const signature = page.getByTestId('signature').first();
    await expect(signature).toContainText(/port is (brannay or osprey-rock|osprey-rock or brannay)/);
    await expect(signature).toContainText('Glyphs.fold');
    await accessible(page);
  });

  test('slow without any error, by contrast alone: class of vessel and how often tiles are read', async ({
    page,
  }) => {
    const to = await heldTo(page);
    await page.goto(`/contrast?${windowOf(to - 6 * HOUR, to - 3 * HOUR)}&first=slow`);
    await expect(page.getByTestId('difference').first()).toBeVisible({ timeout: 45_000 });
    const first = page.getByTestId('difference');
    const texts = (await first.allTextContents()).slice(0, 3).join(' ');
    expect(texts).toContain('calls of “select');
    expect(texts).toContain('catamaran');
  });

  test('one harmless line before the refusals, that names the berths', async ({ page }) => {
    const { start } = episode('E8');
    await page.goto(`/contrast?${windowOf(start - 10 * MINUTE, start + 50 * MINUTE)}`);
    await expect(page.getByTestId('early').first()).toContainText('calibration applied', { timeout: 45_000 });
    await expect(page.getByTestId('early').first()).toContainText('berth skerry/1');
    const signature = page.getByTestId('signature').first();
    await expect(signature).toContainText('berth');
    await signature.getByRole('button', { name: 'keep it in the case' }).click();
    await expect(page.getByTestId('pin-strip')).not.toContainText(/^0$/);
    await signature.getByRole('button', { name: 'its requests' }).click();
    await expect(page).toHaveURL(/\/requests\?.*scope=berth/);
  });
});
