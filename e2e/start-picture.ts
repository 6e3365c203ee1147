import { chromium } from '@playwright/test';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

const pictures = join(dirname(fileURLToPath(import.meta.url)), '../docs/screenshots');
const PATIENCE_MS = 60_000;

/** Takes the picture of what is there while the demo's data come in: only now they do. */
export async function pictureOfStart(url: string): Promise<void> {
  const browser = await chromium.launch({
    executablePath: process.env.FLAIL_CHROMIUM ?? '/usr/bin/chromium',
    args: ['--no-sandbox'],
  });
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 }, timezoneId: 'UTC' });
  await page.goto(`${url}/health`);
  await page.getByText('Records are still coming in').waitFor({ timeout: PATIENCE_MS });
  await page.getByTestId('finding').first().waitFor({ timeout: PATIENCE_MS });
  await page.waitForTimeout(1500);
  await page.screenshot({ path: join(pictures, 'start.png') });
  await browser.close();
}
