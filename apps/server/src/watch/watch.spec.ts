import type { LogsSearchAnswer, SourceSummary } from '@flail/contract';
import { appendFileSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { TestApp } from '../testing/test-app.js';
import { WatchService } from './watch.service.js';

describe('a folder that is watched', () => {
  let app: TestApp;
  const folder = mkdtempSync(join(tmpdir(), 'flail-watched-'));
  beforeAll(async () => {
    app = await TestApp.start();
  });
  afterAll(async () => {
    await app.end();
    rmSync(folder, { recursive: true });
  });

  it('brings in what is written to its files, each a source', async () => {
    const line = (text: string): string => `${new Date().toISOString()} WARN ${text}\n`;
    writeFileSync(join(folder, 'nest.log'), line('first egg'));
    app.app.get(WatchService).follow(folder);
    const window = {
      from: new Date(Date.now() - 600_000).toISOString(),
      to: new Date(Date.now() + 600_000).toISOString(),
    };
    const wait = async (wanted: number): Promise<string[]> => {
      for (let turn = 0; turn < 100; turn++) {
        const body = { window, scope: 'source = nest.log and level = warn' };
        const { records } = (await app.post<LogsSearchAnswer>('/api/v1/logs/search', body)).body;
        if (records.length >= wanted) return records.map(({ text }) => text).sort();
        await new Promise((resolve) => setTimeout(resolve, 50));
      }
      throw new Error('Nothing came.');
    };
    expect(await wait(1)).toEqual(['first egg']);
    appendFileSync(join(folder, 'nest.log'), line('second egg'));
    expect(await wait(2)).toEqual(['first egg', 'second egg']);
    const { body } = await app.get<SourceSummary[]>('/api/v1/sources');
    expect(body.map(({ name, records }) => [name, records])).toEqual([['nest.log', 2]]);
  });
});
