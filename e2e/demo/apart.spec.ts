import { expect, test } from '@playwright/test';
import { readFileSync } from 'node:fs';
import { episode, heldTo, HOUR, MINUTE, windowOf } from '../windows.js';
import { accessible } from '../accessible.js';
import { EMPTY_URL } from '../playwright.config.js';

/** The number of a sailing, and what stands for one after redaction. */
const SAILING = /SL-\d+/;
const REDACTED = /sailing-[0-9a-f]{8}/;

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

  test('the export that fails for three days, from Health to the report', async ({ page }) => {
    test.setTimeout(180_000);
    const to = await heldTo(page);
    await page.goto(`/health?${windowOf(to - 24 * HOUR, to)}`);
    const runs = page.getByTestId('runs');
    await expect(runs).toContainText('manifest-export', { timeout: 60_000 });
    await runs
      .getByRole('link', { name: 'manifest-export' })
      .or(runs.getByRole('button', { name: 'manifest-export' }))
      .click();
    await expect(page).toHaveURL(/\/runs\?.*job=manifest-export/);
    await page.getByText('gone wrong', { exact: true }).click();
    await page.getByTestId('run').filter({ hasText: 'failed' }).first().getByRole('button').click();
    await page.getByRole('button', { name: 'investigate the runs of manifest-export' }).click();
    // What the newest case was about stays what it was.
    const cause = page.getByTestId('cause').first();
    await expect(cause).toContainText('Glyphs.fold(Glyphs.java:118)', { timeout: 90_000 });
    await expect(cause).toContainText(
      /port (?:brannay or osprey-rock|osprey-rock or brannay) and library_version 4\.2\.0/,
    );
    await expect(cause).toHaveAttribute('data-certainty', 'likely');
    await expect(cause).toContainText('export library 4.1.3 → 4.2.0');
    const findings = page.getByTestId('findings');
    const { start } = episode('E2');
    const day = new Date(start).getUTCDate();
    await expect(findings).toContainText(
      new RegExp(`the first of them on ${day} \\w+ at .* UTC; before, 0 of \\d+ did`),
    );
    await accessible(page);
    await findings.getByRole('link', { name: /broke off at the step encode/ }).click();
    await expect(page).toHaveURL(/\/runs\?.*job=manifest-export/);
    await page.goBack();
    await page.getByText('what was done').click();
    // The last six runs may all have gone well, which is too early to say.
    await expect(page.getByTestId('recovery')).toHaveAttribute('data-state', /goes on|too early to say/);
    await expect(page.getByTestId('recovery')).toContainText('runs of manifest-export went wrong');
    await page.getByRole('button', { name: 'report' }).click();
    const download = page.waitForEvent('download');
    await page.getByRole('menuitem', { name: 'save as HTML' }).click();
    const report = readFileSync(await (await download).path(), 'utf8');
    for (const part of [
      'What, and since when',
      'For whom',
      'Why',
      'What was done',
      'Share of the runs of manifest-export that go wrong',
      'Glyphs.fold',
      'osprey-rock',
    ])
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

  test('questions in plain words are read, answered, and taken further', async ({ page }) => {
    test.setTimeout(120_000);
    await page.goto('/health');
    await expect(page.getByRole('navigation', { name: 'Views' })).toBeVisible();
    await page.keyboard.press('q');
    const box = page.getByRole('textbox', { name: 'Question' });
    const answer = page.getByTestId('answer').first();
    await box.fill('which ports fail most since yesterday?');
    await box.press('Enter');
    await expect(answer).toContainText('which port has the largest share of requests that fail', {
      timeout: 60_000,
    });
    await expect(answer.getByRole('table')).toHaveCount(2);
    await expect(answer).toContainText(/Of runs, (brannay|osprey-rock) is the worst port/);
    await box.fill('and by site?');
    await box.press('Enter');
    await expect(answer).toContainText('which site has', { timeout: 30_000 });
    await expect(answer).toContainText('from before: the question, since yesterday');
    await box.fill('when did lease lost first appear?');
    await box.press('Enter');
    await expect(answer).toContainText(/First at .* by berth-allocator: “fencing token/, { timeout: 30_000 });
    await accessible(page);
    await answer.getByRole('button', { name: 'take it as focus and scope' }).click();
    await expect(page).toHaveURL(/scope=%22lease(\+|%20)lost%22/);
    // What is no question here is told as such.
    await page.keyboard.press('Control+k');
    await page.getByRole('textbox', { name: 'Go to' }).fill('sing me a shanty?');
    await page.getByRole('button', { name: /sing me a shanty/ }).click();
    await expect(page.getByTestId('answer').first()).toContainText('nothing was made of “sing”, “shanty”');
  });

  test('a case opens in an empty Flail, redacted, and shows the same', async ({ page, browser }, info) => {
    test.setTimeout(240_000);
    const made = await page.request.post('/api/v1/cases', { data: { name: 'For the owner' } });
    const { id } = (await made.json()) as { id: number };
    const { start } = episode('E1');
    await page.goto(`/case?${windowOf(start - 2 * MINUTE, start + 14 * MINUTE)}&case=${id}&investigate=1`);
    const cause = page.getByTestId('cause').first();
    await expect(cause).toContainText('lease_time', { timeout: 120_000 });
    const findings = await page.getByTestId('findings').getByRole('link').allTextContents();
    await page.getByRole('button', { name: 'report' }).click();
    await page.getByRole('menuitem', { name: 'save with its data' }).click();
    await page.getByRole('combobox', { name: 'Fields to redact' }).fill('sailing');
    await page.getByRole('option', { name: 'sailing', exact: true }).click();
    await page.keyboard.press('Escape');
    const download = page.waitForEvent('download');
    await page.getByTestId('save-case').click();
    const path = info.outputPath('case.zip');
    await (await download).saveAs(path);

    const other = await browser.newPage({ baseURL: EMPTY_URL });
    await other.goto('/');
    await other.getByTestId('files').first().setInputFiles(path);
    const upload = other.getByTestId('upload').filter({ hasText: 'For the owner' });
    await expect(upload).toHaveAttribute('data-state', 'done', { timeout: 90_000 });
    await upload.getByRole('button', { name: 'look at its case' }).click();
    await expect(other.getByTestId('cause').first()).toContainText('lease_time');
    // The same findings, but for the numbers of sailings that they quote: those were redacted.
    const told = await other.getByTestId('findings').getByRole('link').allTextContents();
    expect(told.join()).not.toMatch(SAILING);
    const unnamed = (text: string) => text.replace(SAILING, 'a sailing').replace(REDACTED, 'a sailing');
    expect(told.map(unnamed)).toEqual(findings.map(unnamed));
    // The data behind it came along, without the sailings' numbers.
    await other
      .getByTestId('findings')
      .getByRole('link', { name: /lease lost/ })
      .first()
      .click();
    await expect(other.getByTestId('pattern').filter({ hasText: 'lease lost' }).first()).toBeVisible();
    await other.getByRole('link', { name: 'Logs' }).click();
    await expect(other.getByTestId('line').first()).toContainText('lease lost');
    await other.getByTestId('line').first().click();
    await expect(other.getByText(REDACTED).first()).toBeVisible();
    const datasets = (await (await other.request.get('/api/v1/datasets')).json()) as {
      id: string;
      live: boolean;
    }[];
    for (const { id: own, live } of datasets)
      if (!live) await other.request.delete(`/api/v1/datasets/${own}`);
    await other.close();
  });
});
