import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { TestApp } from '../testing/test-app.js';
import { load, summaryOf } from './load.js';

describe('the command that loads files', () => {
  let app: TestApp;
  let folder: string;
  beforeAll(async () => {
    app = await TestApp.start();
    folder = mkdtempSync(join(tmpdir(), 'flail-cli-'));
  });
  afterAll(async () => {
    await app.end();
    rmSync(folder, { recursive: true });
  });

  it('stores a file once, however often it is loaded', async () => {
    const file = join(folder, 'a.log');
    writeFileSync(file, '2026-03-02 18:00:00 INFO one\n2026-03-02 18:00:01 INFO two\n');
    const options = { format: 'auto' as const, dataset: 'live', url: app.url };
    expect(await load([file], options)).toBe(true);
    expect(await load([file], options)).toBe(true);
    expect((await app.get<{ records: number }>('/api/v1/health')).body.records).toBe(2);
  });

  it('tells of a file that is missing, and of a server that is not there', async () => {
    expect(await load([join(folder, 'none.log')], { format: 'auto', dataset: 'live', url: app.url })).toBe(
      false,
    );
    const file = join(folder, 'b.log');
    writeFileSync(file, 'x\n');
    expect(await load([file], { format: 'auto', dataset: 'live', url: 'http://127.0.0.1:9' })).toBe(false);
  });

  it('sums up what became of a file', () => {
    const answer = {
      accepted: 1200,
      malformed: 3,
      format: 'json',
      repeated: false,
      problems: [{ code: 'x', message: 'Odd.', count: 3, firstLine: 7 }],
    };
    expect(summaryOf('f', answer, 0.5)).toBe(
      'f: 1,200 records stored in 0.5 s (2,400 a second), read as json.\n  3 not in that format, kept as text\n  Odd. (3, the first at line 7)',
    );
    expect(summaryOf('f', { ...answer, repeated: true }, 1)).toContain('stored before');
  });
});
