import { defineConfig } from '@playwright/test';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

const here = dirname(fileURLToPath(import.meta.url));

export const DEMO_DATA = join(here, '.data/demo');
export const EMPTY_DATA = join(here, '.data/empty');
const DEMO_PORT = 4187;
const EMPTY_PORT = 4188;

const pictures = process.env.FLAIL_PICTURES !== undefined;

export default defineConfig({
  testDir: here,
  globalSetup: join(here, 'global-setup.ts'),
  outputDir: join(here, '../test-results'),
  // Two cores: the browser, the servers and the tests share them.
  workers: 1,
  timeout: 60_000,
  expect: { timeout: 15_000 },
  reporter: [['list']],
  grepInvert: pictures ? /$^/ : /@pictures/,
  use: {
    viewport: { width: 1280, height: 800 },
    timezoneId: 'UTC',
    launchOptions: {
      executablePath: process.env.FLAIL_CHROMIUM ?? '/usr/bin/chromium',
      args: ['--no-sandbox', '--disable-background-networking', '--disable-component-update'],
    },
    screenshot: 'only-on-failure',
  },
  projects: [
    { name: 'demo', testMatch: /demo\/.*\.spec\.ts/, use: { baseURL: `http://127.0.0.1:${DEMO_PORT}` } },
    { name: 'empty', testMatch: /empty\/.*\.spec\.ts/, use: { baseURL: `http://127.0.0.1:${EMPTY_PORT}` } },
  ],
  webServer: [
    {
      command: 'node ../scripts/demo.mjs --fresh --no-live',
      cwd: here,
      url: `http://127.0.0.1:${DEMO_PORT}/api/v1/health`,
      env: { FLAIL_PORT: String(DEMO_PORT), FLAIL_DATA: DEMO_DATA },
      timeout: 120_000,
      gracefulShutdown: { signal: 'SIGTERM', timeout: 10_000 },
    },
    {
      command: `rm -rf ${EMPTY_DATA} && node ../scripts/start.mjs`,
      cwd: here,
      url: `http://127.0.0.1:${EMPTY_PORT}/api/v1/health`,
      env: { FLAIL_PORT: String(EMPTY_PORT), FLAIL_DATA: EMPTY_DATA },
      timeout: 120_000,
      gracefulShutdown: { signal: 'SIGTERM', timeout: 10_000 },
    },
  ],
});
