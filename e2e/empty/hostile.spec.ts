import { expect, type Page, test } from '@playwright/test';

/** Text that would do something if it was taken for markup, in all places where somebody else writes it. */
const MARKUP = `<img src=x onerror="window.hacked=1"><script>window.hacked=2</script><b>bold</b>&lt;"'`;
const START = Date.UTC(2026, 2, 2, 18);
const HOUR = 3_600_000;
const iso = (second: number): string => new Date(START + second * 1000).toISOString();
const nanos = (second: number): string => `${BigInt(START + second * 1000) * 1_000_000n}`;
const hex = (number: number, length: number): string => number.toString(16).padStart(length, '0');
const attribute = (key: string, value: string): object => ({ key, value: { stringValue: value } });

const VIEWS = [
  'health',
  'requests',
  'runs',
  'metrics',
  'onsets',
  'changes',
  'map',
  'patterns',
  'logs',
  'contrast',
  'case',
  'sources',
];

async function send(page: Page, path: string, data: unknown, type = 'application/json'): Promise<void> {
  const response = await page.request.post(path, {
    headers: { 'content-type': type },
    data: typeof data === 'string' ? data : JSON.stringify(data),
  });
  expect(response.ok(), `${path}: ${await response.text()}`).toBe(true);
}

/** Everything that people see comes from senders like this one. */
async function sendAll(page: Page): Promise<void> {
  const lines = Array.from({ length: 200 }, (_, index) =>
    JSON.stringify({
      time: iso(index * 30),
      level: index > 100 && index % 3 === 0 ? 'error' : 'info',
      msg: `${MARKUP} went ${index}`,
      service: MARKUP,
      [MARKUP]: MARKUP,
      trace: hex(index + 1, 32),
    }),
  );
  const source = encodeURIComponent(MARKUP);
  await send(
    page,
    `/api/v1/intake/logs?source=${source}&attr.host=${source}&attr.instance=${source}`,
    lines.join('\n'),
    'text/plain',
  );
  await send(page, '/v1/traces', {
    resourceSpans: [
      {
        resource: {
          attributes: [attribute('service.name', MARKUP), attribute('service.instance.id', MARKUP)],
        },
        scopeSpans: [
          {
            spans: Array.from({ length: 200 }, (_, index) => {
              const failed = index > 100 && index % 3 === 0;
              return [
                {
                  traceId: hex(index + 1, 32),
                  spanId: hex(index * 2 + 1, 16),
                  name: `call ${MARKUP}`,
                  kind: 2,
                  startTimeUnixNano: nanos(index * 30),
                  endTimeUnixNano: nanos(index * 30 + 2),
                  status: failed ? { code: 2, message: MARKUP } : {},
                  attributes: [
                    attribute(MARKUP, failed ? MARKUP : 'well'),
                    attribute('http.request.method', 'GET'),
                  ],
                },
                {
                  traceId: hex(index + 1, 32),
                  spanId: hex(index * 2 + 2, 16),
                  parentSpanId: hex(index * 2 + 1, 16),
                  name: MARKUP,
                  kind: 3,
                  startTimeUnixNano: nanos(index * 30),
                  endTimeUnixNano: nanos(index * 30 + 1),
                  attributes: [attribute('peer.service', `store ${MARKUP}`)],
                },
              ];
            }).flat(),
          },
        ],
      },
    ],
  });
  await send(page, '/v1/metrics', {
    resourceMetrics: [
      {
        resource: { attributes: [attribute('service.name', MARKUP)] },
        scopeMetrics: [
          {
            metrics: [
              {
                name: MARKUP,
                unit: MARKUP,
                gauge: {
                  dataPoints: Array.from({ length: 200 }, (_, index) => ({
                    timeUnixNano: nanos(index * 30),
                    asDouble: index > 100 ? 50 : 5 + (index % 3),
                    attributes: [attribute('who', MARKUP)],
                  })),
                },
              },
            ],
          },
        ],
      },
    ],
  });
  await send(
    page,
    '/api/v1/intake/changes',
    [3100, 3200].map((second) => ({
      specversion: '1.0',
      id: `${MARKUP} ${second}`,
      source: MARKUP,
      type: MARKUP,
      time: iso(second),
      data: { title: MARKUP, service: MARKUP, from: MARKUP, to: MARKUP, by: MARKUP },
    })),
  );
  await send(
    page,
    '/api/v1/intake/runs',
    Array.from({ length: 20 }, (_, index) => [
      ['START', 0, {}],
      [index > 10 ? 'FAIL' : 'COMPLETE', 60, { errorMessage: { message: MARKUP, stackTrace: MARKUP } }],
    ])
      .map((events, index) =>
        events.map(([eventType, after, facets]) => ({
          eventType,
          eventTime: iso(index * 300 + (after as number)),
          run: { runId: `${MARKUP} ${index}`, facets },
          job: { namespace: MARKUP, name: MARKUP },
          inputs: [{ namespace: MARKUP, name: MARKUP }],
        })),
      )
      .flat(),
  );
  await send(page, '/api/v1/cases', { name: MARKUP });
}

/** Nothing of what was sent was taken for markup. */
async function expectText(page: Page, view: string): Promise<void> {
  const found = await page.evaluate(() => ({
    hacked: (window as unknown as { hacked?: number }).hacked,
    elements: document.querySelectorAll('img[src="x"], script:not([src]), #root b > b, [onerror]').length,
  }));
  expect([view, found]).toEqual([view, { hacked: undefined, elements: 0 }]);
}

test('text from outside is text in every view, whatever is in it', async ({ page }) => {
  test.setTimeout(240_000);
  const dialogs: string[] = [];
  page.on('dialog', (dialog) => {
    dialogs.push(dialog.message());
    void dialog.dismiss();
  });
  await sendAll(page);
  const parameters = new URLSearchParams({
    focus: [50 * 60_000, HOUR + 40 * 60_000].map((after) => new Date(START + after).toISOString()).join('~'),
  });
  for (const view of VIEWS) {
    await page.goto(`/${view}?${parameters.toString()}`);
    if (view === 'case')
      await page.getByRole('button', { name: 'investigate', exact: false }).first().click();
    // What senders wrote stands in every view, as they wrote it.
    await expect(page.locator('main')).toContainText('<img src=x', { timeout: 30_000 });
    // Hints of charts are drawn when something is pointed at.
    const box = (await page.locator('main').boundingBox())!;
    for (const [x, y] of [
      [0.5, 0.2],
      [0.6, 0.4],
      [0.7, 0.6],
    ] as const)
      await page.mouse.move(box.x + box.width * x, box.y + box.height * y, { steps: 4 });
    await expectText(page, view);
  }
  await page.goto(`/requests?${parameters.toString()}&request=${hex(121, 32)}`);
  await expect(page.locator('main')).toContainText('<img src=x');
  await expectText(page, 'one request');
  await page.goto(`/runs?${parameters.toString()}&run=${encodeURIComponent(`${MARKUP} 15`)}`);
  await expect(page.locator('main')).toContainText('<img src=x');
  await expectText(page, 'one run');
  expect(dialogs).toEqual([]);
});
