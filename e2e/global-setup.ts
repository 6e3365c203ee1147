import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { DEMO_DATA } from './playwright.config.js';

const PATIENCE_MS = 240_000;

/** Waits until the demo's history is complete. */
export default async function waitForHistory(): Promise<void> {
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
