import type { MetricsQueryAnswer } from '@flail/contract';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { TestApp } from '../testing/test-app.js';
import { ScrapeService } from './scrape.service.js';

const window = {
  from: new Date(Date.now() - 600_000).toISOString(),
  to: new Date(Date.now() + 600_000).toISOString(),
};

describe('measurements that are fetched', () => {
  let app: TestApp;
  let status = 200;
  let accept = '';
  const page = createServer((request, response) => {
    accept = request.headers.accept ?? '';
    response.writeHead(status, { 'content-type': 'application/openmetrics-text' });
    response.end('# TYPE eggs gauge\neggs{nest="a"} 4\n# TYPE flights counter\nflights_total 9\n# EOF\n');
  });
  let url: string;
  beforeAll(async () => {
    app = await TestApp.start();
    await new Promise<void>((resolve) => page.listen(0, '127.0.0.1', resolve));
    url = `http://127.0.0.1:${(page.address() as AddressInfo).port}/metrics`;
  });
  afterAll(async () => {
    page.close();
    await app.end();
  });

  const values = async (metric: string, by: string[] = []): Promise<MetricsQueryAnswer['lines']> => {
    const asked = { window, metric, by, points: 1, aggregate: 'max' };
    return (await app.post<MetricsQueryAnswer>('/api/v1/metrics/query', asked)).body.lines;
  };
  const numbers = (lines: MetricsQueryAnswer['lines']): number[] =>
    lines.flatMap((line) => line.values.filter((value) => value !== null));

  it('are stored under the name of their service, with that they could be had', async () => {
    expect(await app.app.get(ScrapeService).scrape({ service: 'gull', url })).toBe(true);
    expect(accept).toContain('openmetrics');
    const eggs = await values('eggs', ['service', 'instance', 'nest']);
    expect(eggs.map(({ labels }) => labels)).toEqual([
      { service: 'gull', instance: new URL(url).host, nest: 'a' },
    ]);
    expect(numbers(eggs)).toEqual([4]);
    expect(numbers(await values('up'))).toEqual([1]);
  });

  it('that can not be had are told of by a number too', async () => {
    status = 503;
    expect(await app.app.get(ScrapeService).scrape({ service: 'tern', url })).toBe(false);
    const up = await values('up', ['service']);
    const tern = up.filter(({ labels }) => labels.service === 'tern');
    expect(numbers(tern)).toEqual([0]);
    const nowhere = { service: 'auk', url: 'http://127.0.0.1:9/metrics' };
    expect(await app.app.get(ScrapeService).scrape(nowhere)).toBe(false);
  });
});
