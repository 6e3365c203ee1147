import { expect, type Page, test } from '@playwright/test';

const focusOnExcess = async (page: Page): Promise<void> => {
  await page.goto('/patterns');
  await page.getByTestId('focus-excess').click();
  await page.getByTestId('pattern').first().waitFor();
};

test.describe('bundles', () => {
  test('carry the bad time and the good one elsewhere, where it is played back', async ({ page }, info) => {
    await focusOnExcess(page);
    const menu = page.getByRole('button', { name: /^Data set/ });
    await menu.click();
    await page.getByRole('menuitem', { name: 'save as a bundle' }).click();
    await page.getByRole('textbox', { name: 'Name' }).fill('Harbour night');
    const download = page.waitForEvent('download');
    await page.getByTestId('save-bundle').click();
    const path = info.outputPath('night.zip');
    await (await download).saveAs(path);
    const live = (await page.getByTestId('count-focus').textContent())!;

    await page.getByTestId('files').setInputFiles(path);
    const upload = page.getByTestId('upload');
    await expect(upload).toHaveAttribute('data-state', 'done', { timeout: 60_000 });
    await expect(upload).toContainText(/Opened as “Harbour night”: .* records, .* spans, .* measurements/);
    await upload.getByRole('button', { name: 'look at it' }).click();
    await expect(menu).toHaveText('Harbour night');
    await expect(page).toHaveURL(/data=harbour-night-/);

    // It opens with the windows that it was kept for, and holds there what was held here.
    await expect(page.getByTestId('pattern').filter({ hasText: 'lease lost' })).toBeVisible();
    await expect(page.getByTestId('count-focus')).toHaveText(live);

    await page.getByRole('button', { name: 'play it back' }).click();
    await page.getByRole('button', { name: 'Pause' }).click();
    await expect(page.getByTestId('shown-until')).toContainText('shown up to');
    await page.getByRole('button', { name: 'From the beginning' }).click();
    await expect(page.getByTestId('count-focus')).toHaveText('0');
    await page.getByText('×600').click();
    await page.getByRole('button', { name: 'Play', exact: true }).click();
    await expect(page.getByTestId('count-focus')).not.toHaveText('0', { timeout: 30_000 });
    await page.getByRole('button', { name: 'show all' }).last().click();
    await expect(page.getByText('Kept, and shown as a whole.')).toBeVisible();

    await menu.click();
    await page.getByRole('menuitem', { name: 'let go of it' }).click();
    await page.getByRole('button', { name: 'Let go of it' }).click();
    await expect(menu).toHaveText('Live');
    await menu.click();
    await expect(page.getByTestId('dataset')).toHaveCount(1);
  });

  test('that are none are refused with a reason', async ({ page }) => {
    await page.goto('/patterns');
    await page.getByTestId('files').setInputFiles({
      name: 'none.zip',
      mimeType: 'application/zip',
      buffer: Buffer.from('no zip at all'),
    });
    await expect(page.getByTestId('upload')).toContainText('no zip archive that can be read');
  });
});
