import type { Page } from '@playwright/test';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { DEMO_DATA } from './playwright.config.js';

export const MINUTE = 60_000;
export const HOUR = 60 * MINUTE;

/** The end of what is held, as the server tells it. */
export async function heldTo(page: Page): Promise<number> {
  const datasets = (await (await page.request.get('/api/v1/datasets')).json()) as {
    live: boolean;
    window: { to: string };
  }[];
  return Date.parse(datasets.find(({ live }) => live)!.window.to);
}

/** A focus, as it stands in the address. */
export const windowOf = (from: number, to: number): string =>
  `focus=${encodeURIComponent(`${new Date(from).toISOString()}~${new Date(to).toISOString()}`)}`;

/** When an episode began and ended, as the fleet tells it. */
export function episode(id: string): { start: number; end: number } {
  const { episodes } = JSON.parse(readFileSync(join(DEMO_DATA, 'truth.json'), 'utf8')) as {
    episodes: { id: string; start: string; end: string }[];
  };
  const { start, end } = episodes.find((one) => one.id === id)!;
  return { start: Date.parse(start), end: Date.parse(end) };
}
