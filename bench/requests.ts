import { chromium } from '@playwright/test';
import { once } from 'node:events';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Random } from '../apps/fleet/src/world/random.js';
import { startServer } from './episodes/world.js';

/**
 * How long Requests takes with very many of them in the window: what it asks of the server, its first content in the
 * browser, and one request opened from the list. As many again lie in the baseline.
 *
 * npm run bench -- requests REQUESTS ROUNDS
 */
const [REQUESTS = 200_000, ROUNDS = 5] = process.argv.slice(2).map(Number);
const HOUR = 3_600_000;
const AT_ONCE = 8000;
/** How long somebody holds the button of a mouse down. */
const PRESS_MS = 70;
const from = Date.UTC(2026, 2, 2, 8);
const random = new Random('requests');
const median = (of: readonly number[]): number => [...of].sort((a, b) => a - b)[of.length >> 1]!;
const told = (of: readonly number[]): string =>
  `${of[0]!.toFixed(0)} ms, then ${median(of.slice(1)).toFixed(0)} ms`;

const OPERATIONS = ['GET /v1/sailings', 'POST /v1/bookings', 'POST /v1/boardings', 'GET /v1/quotes'];

interface SpanBody {
  traceId: string;
  spanId: string;
  parentSpanId?: string;
  name: string;
  kind: number;
  startTimeUnixNano: string;
  endTimeUnixNano: string;
  attributes: { key: string; value: { stringValue: string } }[];
  status?: { code: number; message: string };
}

/** The spans of a request by service: at the edge, its call, what it calls, and the store behind. */
function spansOf(at: number, isFocus: boolean): [service: string, span: SpanBody][] {
  const traceId = random.hex(32);
  const name = random.pick(OPERATIONS);
  const took = 20 + 200 * random.unit() ** 3;
  const fails = random.chance(isFocus && name === 'POST /v1/boardings' ? 0.2 : 0.001);
  const attributes = [
    { key: 'http.route', value: { stringValue: name.split(' ')[1]! } },
    { key: 'client.version', value: { stringValue: `4.${random.whole(6)}` } },
  ];
  const ids = Array.from({ length: 4 }, () => random.hex(16));
  return [
    ['gate-edge', name, 2],
    ['gate-edge', `call ${name}`, 3],
    ['boarding-api', name, 2],
    ['boarding-api', 'SELECT berths', 3],
  ].map(([service, own, kind], depth) => [
    service as string,
    {
      traceId,
      spanId: ids[depth]!,
      ...(depth > 0 && { parentSpanId: ids[depth - 1]! }),
      name: own as string,
      kind: kind as number,
      startTimeUnixNano: `${Math.round((at + depth) * 1000)}000`,
      endTimeUnixNano: `${Math.round((at + took - depth) * 1000)}000`,
      attributes,
      ...(fails && { status: { code: 2, message: 'berth not granted' } }),
    },
  ]);
}

function bodyOf(first: number, count: number): string {
  const byService = new Map<string, SpanBody[]>();
  for (let number = first; number < first + count; number++) {
    const at = from + (HOUR * number) / REQUESTS;
    for (const [service, span] of spansOf(at, number >= REQUESTS)) {
      const own = byService.get(service);
      if (own) own.push(span);
      else byService.set(service, [span]);
    }
  }
  return JSON.stringify({
    resourceSpans: [...byService].map(([service, spans]) => ({
      resource: {
        attributes: [
          { key: 'service.name', value: { stringValue: service } },
          { key: 'service.instance.id', value: { stringValue: `${service}-1` } },
        ],
      },
      scopeSpans: [{ spans }],
    })),
  });
}

const data = mkdtempSync(join(tmpdir(), 'flail-requests-'));
const { server, url } = await startServer(data);
try {
  let began = performance.now();
  for (let first = 0; first < 2 * REQUESTS; first += AT_ONCE) {
    const response = await fetch(`${url}/v1/traces`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: bodyOf(first, Math.min(AT_ONCE, 2 * REQUESTS - first)),
    });
    if (!response.ok) throw new Error(`${response.status} ${await response.text()}`);
  }
  console.log(`${2 * REQUESTS} requests sent in ${((performance.now() - began) / 1000).toFixed(0)} s`);

  const moment = (hours: number): string => new Date(from + hours * HOUR).toISOString();
  const windows = {
    window: { from: moment(1), to: moment(2) },
    baseline: { from: moment(0), to: moment(1) },
    scope: '',
  };
  const ask = async <T>(path: string, body?: object): Promise<[took: number, answer: T]> => {
    began = performance.now();
    const response = await fetch(`${url}/api/v1/${path}`, {
      ...(body && {
        method: 'POST',
        body: JSON.stringify(body),
        headers: { 'content-type': 'application/json' },
      }),
    });
    const answer = (await response.json()) as T;
    if (!response.ok) throw new Error(JSON.stringify(answer));
    return [performance.now() - began, answer];
  };
  for (const [path, more] of [
    ['requests/search', {}],
    ['requests/search', { preset: 'failed', order: 'slowest' }],
    ['requests/analysis', {}],
    ['overview', {}],
  ] as const) {
    const took: number[] = [];
    for (let round = 0; round <= ROUNDS; round++) took.push((await ask(path, { ...windows, ...more }))[0]);
    console.log(`${path} ${JSON.stringify(more)}: ${told(took)}`);
  }
  const [, { requests }] = await ask<{ requests: { trace: string }[] }>('requests/search', {
    ...windows,
    preset: 'failed',
  });
  const opened: number[] = [];
  for (const { trace } of requests.slice(0, ROUNDS + 1)) opened.push((await ask(`requests/${trace}`))[0]);
  console.log(`one request: ${told(opened)}`);

  const browser = await chromium.launch({
    executablePath: process.env.FLAIL_CHROMIUM ?? '/usr/bin/chromium',
    args: ['--no-sandbox', '--disable-background-networking', '--disable-component-update'],
  });
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  const focus = encodeURIComponent(`${moment(1)}~${moment(2)}`);
  const shown: number[] = [];
  const open: number[] = [];
  /** Milliseconds from a click to the frame in which something stands there. */
  const until = (act: string, wanted: string): Promise<number> =>
    page.evaluate(
      async ([what, selector]) => {
        const start = performance.now();
        document.querySelector<HTMLElement>(what)!.click();
        while (!document.querySelector(selector) && performance.now() - start < 30_000)
          await new Promise((resolve) => requestAnimationFrame(resolve));
        return performance.now() - start;
      },
      [act, wanted] as const,
    );
  /** The same from letting go of a row on which the button of the mouse was down as long as it is by hand. */
  const pressed = async (row: number): Promise<number> => {
    const box = await page.locator('[data-testid="request"] button').nth(row).boundingBox();
    await page.mouse.move(box!.x + 20, box!.y + 8);
    await page.mouse.down();
    await page.waitForTimeout(PRESS_MS);
    await page.evaluate((selector) => {
      const own = window as unknown as { opened: Promise<number> };
      own.opened = new Promise((resolve) => {
        document.addEventListener(
          'click',
          ({ timeStamp }) =>
            void (async () => {
              let now = timeStamp;
              while (!document.querySelector(selector))
                now = await new Promise((frame) => requestAnimationFrame(frame));
              resolve(now - timeStamp);
            })(),
          { once: true, capture: true },
        );
      });
    }, '[role="treeitem"]');
    await page.mouse.up();
    return page.evaluate(() => (window as unknown as { opened: Promise<number> }).opened);
  };
  await page.goto(`${url}/sources?focus=${focus}`);
  await page.waitForSelector('nav a[href^="/requests"]');
  for (let round = 0; round <= ROUNDS; round++) {
    await page.waitForTimeout(1000);
    shown.push(await until('nav a[href^="/requests"]', 'main [data-testid="request"]'));
    await page.waitForTimeout(1000);
    open.push(await pressed(round));
    await page.keyboard.press('Escape');
    await page.waitForSelector('[data-testid="request"]');
    await page.click('nav a[href^="/sources"]');
  }
  console.log(`first content of Requests in the browser: ${told(shown)}`);
  console.log(`a request opened in the browser: ${told(open)}`);
  await browser.close();
} finally {
  server.kill('SIGKILL');
  await once(server, 'exit');
  rmSync(data, { recursive: true, force: true });
}
