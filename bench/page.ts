import { type CDPSession, chromium, type Page, type Request } from '@playwright/test';

/**
 * How the page behaves in the browser, on the demo that runs at an address: what is loaded at first, how long each
 * view takes to its first content, a focus that is moved to new figures, what blocks the main thread meanwhile, and how
 * much the heap of scripts has grown at the end.
 *
 * npm run bench -- page [URL] [ROUNDS] [WINDOW as FROM~TO]
 */
const url = process.argv[2] ?? 'http://127.0.0.1:4180';
const ROUNDS = Number(process.argv[3] ?? 5);
const MINUTE = 60_000;
/** A task that keeps the main thread for this many milliseconds and more is felt at all. */
const FELT = 10;
const LONGEST_WAIT = 20_000;

/** Views by their path and name, and what is there when one shows its first content. */
const VIEWS: [path: string, name: string, content: string][] = [
  ['health', 'Health', '[data-testid="finding"]'],
  ['requests', 'Requests', '[data-testid="request"]'],
  ['runs', 'Runs', '[data-testid="run"]'],
  ['logs', 'Logs', '[data-testid="line"]'],
  ['patterns', 'Patterns', '[data-testid="pattern"]'],
  ['metrics', 'Metrics', '[data-testid="plot"]'],
  ['onsets', 'Onsets', '[data-testid="finding"]'],
  ['changes', 'Changes', '[data-testid="finding"]'],
  ['map', 'Map', '[data-testid="finding"]'],
  ['contrast', 'Contrast', '[data-testid="finding"]'],
  ['case', 'Case', 'input'],
  ['sources', 'Sources', '[data-testid="source"]'],
];

const median = (of: readonly number[]): number =>
  [...of].sort((a, b) => a - b)[Math.floor(of.length / 2)] ?? NaN;
const whole = (of: number): string => of.toFixed(0);

/** Milliseconds from an act in the page to the frame in which a content stands there. */
const until = (page: Page, act: string, content: string): Promise<number> =>
  page.evaluate(
    async ([what, selector, most]) => {
      const began = performance.now();
      (document.querySelector(what) as HTMLElement).click();
      while (performance.now() - began < most) {
        await new Promise((resolve) => requestAnimationFrame(resolve));
        if (document.querySelector(`main ${selector}`)) break;
      }
      return performance.now() - began;
    },
    [act, content, LONGEST_WAIT] as const,
  );

/** Milliseconds from a key to the end of the last answer that it asked for. */
async function moved(page: Page, key: string): Promise<number> {
  const began = Date.now();
  let last = began;
  const open = new Set<Request>();
  const asked = (request: Request): void => void open.add(request);
  const answered = (request: Request): void => {
    // What was asked for before the key does not count.
    if (open.delete(request)) last = Date.now();
  };
  page.on('request', asked).on('requestfinished', answered).on('requestfailed', answered);
  await page.keyboard.press(key);
  const quiet = 250;
  while (Date.now() - last < quiet || open.size > 0) {
    await page.waitForTimeout(20);
    if (Date.now() - began > LONGEST_WAIT) break;
  }
  page.off('request', asked).off('requestfinished', answered).off('requestfailed', answered);
  return last - began;
}

/** Tasks of the page's main thread while something is done, in milliseconds. */
async function tasksOf(session: CDPSession, run: () => Promise<void>): Promise<number[]> {
  const events: {
    name: string;
    ph: string;
    pid: number;
    tid: number;
    dur?: number;
    args?: { name?: string };
  }[] = [];
  session.on(
    'Tracing.dataCollected',
    ({ value }) => void events.push(...(value as unknown as typeof events)),
  );
  await session.send('Tracing.start', {
    transferMode: 'ReportEvents',
    traceConfig: { includedCategories: ['toplevel', '__metadata'] },
  });
  await run();
  const complete = new Promise<void>((resolve) => session.once('Tracing.tracingComplete', () => resolve()));
  await session.send('Tracing.end');
  await complete;
  const renderers = new Set(
    events
      .filter(({ name, args }) => name === 'thread_name' && args?.name === 'CrRendererMain')
      .map(({ pid, tid }) => `${pid} ${tid}`),
  );
  return events
    .filter(({ name, ph, pid, tid }) => ph === 'X' && /RunTask$/.test(name) && renderers.has(`${pid} ${tid}`))
    .map(({ dur = 0 }) => dur / 1000);
}

async function heapOf(session: CDPSession): Promise<number> {
  await session.send('HeapProfiler.collectGarbage');
  const { usedSize } = await session.send('Runtime.getHeapUsage');
  return usedSize / 1e6;
}

/** The window of the demo's headline: from before it began to the end of what is held. */
async function usualWindow(): Promise<string> {
  const datasets = (await (await fetch(`${url}/api/v1/datasets`)).json()) as {
    live: boolean;
    window: { to: string };
  }[];
  const to = Date.parse(datasets.find(({ live }) => live)!.window.to);
  return [to - 50 * MINUTE, to].map((at) => new Date(at).toISOString()).join('~');
}

const window = process.argv[4] ?? (await usualWindow());
const browser = await chromium.launch({
  executablePath: process.env.FLAIL_CHROMIUM ?? '/usr/bin/chromium',
  args: ['--no-sandbox', '--disable-background-networking', '--disable-component-update'],
});
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
const session = await page.context().newCDPSession(page);
await session.send('Network.enable');
const scripts = new Map<string, number>();
const kinds = new Map<string, string>();
session.on('Network.responseReceived', ({ requestId, type }) => void kinds.set(requestId, type));
session.on('Network.loadingFinished', ({ requestId, encodedDataLength }) => {
  if (kinds.get(requestId) === 'Script') scripts.set(requestId, encodedDataLength);
});
const began = Date.now();
await page.goto(`${url}/health?focus=${encodeURIComponent(window)}`);
await page.waitForSelector('main [data-testid="finding"]', { timeout: LONGEST_WAIT });
const first = Date.now() - began;
const loaded = [...scripts.values()].reduce((sum, one) => sum + one, 0) / 1000;
console.log(`first load: Health after ${first} ms, ${whole(loaded)} kB of scripts, compressed`);

const switches = new Map<string, number[]>();
const moves = new Map<string, number[]>();
let heap = NaN;
/** Goes through all views, and moves the focus to and fro on each. */
async function tour(): Promise<void> {
  for (const [view, name, content] of VIEWS) {
    const took = await until(page, `nav a[href^="/${view}"]`, `section[aria-label="${name}"] ${content}`);
    switches.set(view, [...(switches.get(view) ?? []), took]);
    if (view === 'case' || view === 'sources') continue;
    const key = (switches.get(view)!.length & 1) === 1 ? '[' : ']';
    moves.set(view, [...(moves.get(view) ?? []), await moved(page, key)]);
  }
}
// The first round fetches the scripts of the views, and lets the server read what it keeps then.
await tour();
switches.clear();
moves.clear();
heap = await heapOf(session);
const tasks = await tasksOf(session, async () => {
  for (let round = 0; round < ROUNDS; round++) await tour();
});
const grown = (await heapOf(session)) - heap;
console.log(`view: first content, focus moved (medians of ${ROUNDS}, ms; slowest)`);
for (const [view, took] of switches) {
  const moving = moves.get(view) ?? [];
  const moveText = moving.length === 0 ? '' : `, ${whole(median(moving))} (${whole(Math.max(...moving))})`;
  console.log(`  ${view}: ${whole(median(took))} (${whole(Math.max(...took))})${moveText}`);
}
const felt = tasks.filter((took) => took >= FELT).sort((a, b) => a - b);
console.log(
  `main thread: ${tasks.length} tasks, ${felt.length} of ${FELT} ms and more; of those 95% under ${whole(felt[Math.floor(0.95 * felt.length)] ?? 0)} ms, the longest ${felt.slice(-5).map(whole).join(', ')} ms`,
);
console.log(
  `heap of scripts: ${heap.toFixed(1)} MB, ${grown >= 0 ? '+' : ''}${grown.toFixed(1)} MB after ${ROUNDS} rounds`,
);
await browser.close();
