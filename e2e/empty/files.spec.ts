import { expect, type Page, test } from '@playwright/test';
import { spawn, spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';

const folder = mkdtempSync(join(tmpdir(), 'flail-e2e-'));
const NGINX = '/usr/sbin/nginx';

function file(name: string, content: string | Buffer): string {
  const path = join(folder, name);
  writeFileSync(path, content);
  return path;
}

async function bringIn(page: Page, path: string): Promise<void> {
  await page.getByTestId('files').setInputFiles(path);
}

const upload = (page: Page, name: string) => page.getByTestId('upload').filter({ hasText: name });

/** All lines of a source as the API gives them back, in order of arrival. */
async function linesOf(page: Page, source: string): Promise<string> {
  const lines: [number, string][] = [];
  let cursor: string | undefined;
  do {
    const response = await page.request.post('/api/v1/logs/search', {
      data: {
        window: { from: '1970-01-01T00:00:00Z', to: '2100-01-01T00:00:00Z' },
        scope: `source = "${source}"`,
        order: 'oldest',
        limit: 1000,
        ...(cursor && { cursor }),
      },
    });
    const body = (await response.json()) as { records: { id: string; line: string }[]; cursor?: string };
    for (const { id, line } of body.records) lines.push([Number(id), line]);
    cursor = body.cursor;
  } while (cursor);
  return lines
    .sort(([a], [b]) => a - b)
    .map(([, line]) => line)
    .join('\n');
}

const withoutLastNewline = (text: string): string => (text.endsWith('\n') ? text.slice(0, -1) : text);

test('an empty store says how to begin', async ({ page }) => {
  await page.goto('/patterns');
  await expect(page.getByText('Nothing is held yet.')).toBeVisible();
});

test('a file is brought in, looked at, and not stored twice', async ({ page }) => {
  const path = file(
    'crew.log',
    Array.from({ length: 500 }, (_, index) =>
      JSON.stringify({
        ts: new Date(Date.UTC(2026, 2, 2, 18) + index * 1000).toISOString(),
        level: index % 50 ? 'info' : 'error',
        msg: `mooring ${index} checked`,
      }),
    ).join('\n') + '\nstray line\n',
  );
  await page.goto('/patterns');
  await bringIn(page, path);
  const row = upload(page, 'crew.log');
  await expect(row).toHaveAttribute('data-state', 'done');
  await expect(row).toContainText(
    '501 records, read as JSON lines, 1 of them not in that format and kept as text',
  );
  await expect(row).toContainText('Not readable as json; kept as plain text. 1 line, the first is line 501.');
  await expect(row).toContainText('stray line');
  await page.reload();
  await bringIn(page, path);
  await expect(row.first()).toContainText('This file was stored before; nothing was added.');
  await row.first().getByRole('button', { name: 'look at this time' }).click();
  await expect(page.getByTestId('pattern').first()).toBeVisible();
  await expect(page.getByTestId('count-focus')).toHaveText('501');
});

for (const [name, content, words] of [
  ['empty.log', '', 'There is nothing in it: not a single line.'],
  [
    'picture.log',
    Buffer.from([0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a, 0, 0]),
    'This is a PNG picture, not lines of text. Nothing of it was stored.',
  ],
  [
    'cut.log.gz',
    gzipSync(
      Array.from({ length: 20_000 }, () => `2026-03-02 18:00:00 INFO ${Math.random()}`).join('\n'),
    ).subarray(0, 40_000),
    'The gzip data end in the middle. The lines before that place are kept.',
  ],
  [
    'odd.log',
    Buffer.from([0x61, 0x0a, 0xff, 0xfe, 0x0a]),
    'Not valid UTF-8; the bytes are kept as they came.',
  ],
] as const) {
  test(`${name} gets a clear answer`, async ({ page }) => {
    await page.goto('/patterns');
    await bringIn(page, file(name, content));
    await expect(upload(page, name)).toContainText(words);
  });
}

test("the machine's own package manager log comes in, in patterns, and back byte for byte", async ({
  page,
}) => {
  const path = '/var/log/dpkg.log';
  test.skip(!existsSync(path), 'This machine keeps no log of its packages.');
  await page.goto('/patterns');
  await bringIn(page, path);
  const row = upload(page, 'dpkg.log');
  await expect(row).toHaveAttribute('data-state', 'done');
  await expect(row).toContainText('read as plain text');
  await row.getByRole('button', { name: 'look at this time' }).click();
  await expect(
    page
      .getByTestId('pattern')
      .filter({ hasText: /status (installed|unpacked|half-|config|not-|triggers)/ })
      .first(),
  ).toBeVisible();
  expect(await page.getByTestId('pattern').count()).toBeGreaterThan(3);
  expect(await linesOf(page, 'dpkg.log')).toBe(withoutLastNewline(readFileSync(path, 'utf8')));
});

test("a web server's access log comes in, in patterns, and back byte for byte", async ({ page }) => {
  test.skip(!existsSync(NGINX), 'There is no web server on this machine to write an access log.');
  const root = join(folder, 'nginx');
  mkdirSync(root);
  const log = join(root, 'web-access.log');
  writeFileSync(
    join(root, 'nginx.conf'),
    `daemon off; pid ${root}/pid; error_log ${root}/error.log; events {}
     http { access_log ${log}; client_body_temp_path ${root}/b; proxy_temp_path ${root}/p; fastcgi_temp_path ${root}/f; uwsgi_temp_path ${root}/u; scgi_temp_path ${root}/s;
       server { listen 127.0.0.1:4189; location /ok { return 200 "ok"; } location /broken { return 503; } location /moved { return 302 /ok; } } }`,
  );
  const server = spawn(NGINX, ['-c', join(root, 'nginx.conf'), '-p', root], { stdio: 'ignore' });
  try {
    await expect
      .poll(() => spawnSync('sh', ['-c', 'exec 3<>/dev/tcp/127.0.0.1/4189'], { shell: '/bin/bash' }).status)
      .not.toBeNull();
    await expect
      .poll(async () => (await fetch('http://127.0.0.1:4189/ok').catch(() => undefined))?.status)
      .toBe(200);
    for (let index = 0; index < 300; index++) {
      const path = ['/ok', '/broken', '/missing', '/moved'][index % 4]!;
      await fetch(`http://127.0.0.1:4189${path}/${index}?q=${index * 7}`, {
        redirect: 'manual',
        headers: { 'user-agent': `probe/${index % 3} "x"` },
      });
    }
  } finally {
    server.kill('SIGTERM');
    await new Promise((resolve) => server.once('exit', resolve));
  }
  await page.goto('/patterns');
  await bringIn(page, log);
  const row = upload(page, 'web-access.log');
  await expect(row).toHaveAttribute('data-state', 'done');
  await expect(row).toContainText('read as access log');
  await row.getByRole('button', { name: 'look at this time' }).click();
  await expect(
    page
      .getByTestId('pattern')
      .filter({ hasText: /broken.* 503/ })
      .first(),
  ).toBeVisible();
  expect(await linesOf(page, 'web-access.log')).toBe(withoutLastNewline(readFileSync(log, 'utf8')));
});
