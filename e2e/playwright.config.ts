import { defineConfig } from '@playwright/test';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

const here = dirname(fileURLToPath(import.meta.url));

export const DEMO_DATA = join(here, '.data/demo');
export const EMPTY_DATA = join(here, '.data/empty');
const DEMO_PORT = 4187;
const EMPTY_PORT = 4188;
const STAND_INS_PORT = 4195;
export const DEMO_URL = `http://127.0.0.1:${DEMO_PORT}`;
export const EMPTY_URL = `http://127.0.0.1:${EMPTY_PORT}`;
export const STAND_INS_URL = `http://127.0.0.1:${STAND_INS_PORT}`;

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
    { name: 'demo', testMatch: /demo\/.*\.spec\.ts/, use: { baseURL: DEMO_URL } },
    { name: 'empty', testMatch: /empty\/.*\.spec\.ts/, use: { baseURL: EMPTY_URL } },
    // Here the fleet's time goes on, and what is wrong with it is mended: after all others.
    {
      name: 'live',
      testMatch: /live\/.*\.spec\.ts/,
      use: { baseURL: DEMO_URL },
      dependencies: pictures ? [] : ['demo', 'empty'],
    },
  ],
  webServer: [
    {
      // The fleet's time stands still until a test sets it going.
      command: `node ../scripts/demo.mjs --fresh --speed 0 --stand-ins ${STAND_INS_PORT}`,
      cwd: here,
      url: `${DEMO_URL}/api/v1/health`,
      env: { FLAIL_PORT: String(DEMO_PORT), FLAIL_DATA: DEMO_DATA },
      timeout: 120_000,
      gracefulShutdown: { signal: 'SIGTERM', timeout: 10_000 },
    },
    {
      command: `rm -rf ${EMPTY_DATA} && node ../scripts/start.mjs`,
      cwd: here,
      url: `${EMPTY_URL}/api/v1/health`,
      env: { FLAIL_PORT: String(EMPTY_PORT), FLAIL_DATA: EMPTY_DATA },
      timeout: 120_000,
      gracefulShutdown: { signal: 'SIGTERM', timeout: 10_000 },
    },
  ],
});
