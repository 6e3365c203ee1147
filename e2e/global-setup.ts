import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { DEMO_DATA, DEMO_URL } from './playwright.config.js';
import { pictureOfStart } from './start-picture.js';

const PATIENCE_MS = 480_000;

/** Waits until the demo's history is complete. */
export default async function waitForHistory(): Promise<void> {
  if (process.env.FLAIL_PICTURES !== undefined) await pictureOfStart(DEMO_URL);
  const began = Date.now();
  while (Date.now() - began < PATIENCE_MS) {
    try {
      const { complete } = JSON.parse(readFileSync(join(DEMO_DATA, 'fleet.json'), 'utf8')) as {
        complete?: boolean;
      };
      if (complete === true) return;
    } catch {
      // The fleet has not begun.
    }
    await new Promise((resolve) => setTimeout(resolve, 500));
  }
  throw new Error('The demo data did not come in.');
}
