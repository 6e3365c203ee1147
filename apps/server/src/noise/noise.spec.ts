import type { NoiseAnswer, PatternsSearchAnswer } from '@flail/contract';
import { TestApp } from '../testing/test-app.js';

const START = Date.UTC(2026, 2, 2, 18);
const at = (second: number): string => new Date(START + second * 1000).toISOString();
const window = { from: at(0), to: at(3600) };
const before = { from: at(-3600), to: at(0) };

describe('the noise report', () => {
  let app: TestApp;
  const sent: { text: string; bytes: number }[] = [];
  beforeAll(async () => {
    app = await TestApp.start();
    const lines: string[] = [];
    const say = (second: number, level: string, text: string): void => {
      const line = JSON.stringify({ ts: at(second), level, msg: text });
      lines.push(line);
      if (second >= 0) sent.push({ text, bytes: Buffer.byteLength(line) + 1 });
    };
    for (let second = -3600; second < 3600; second++) {
      say(second, 'debug', `cache miss for key ${1000 + second * 7}, asking the register`);
      if (second % 60 === 0) say(second, 'info', 'heartbeat, all is well');
      if (second % 100 === 0) say(second, 'error', 'gull in the engine (again?)');
    }
    await app.take(lines.join('\n'), 'source=quay');
  });
  afterAll(() => app.end());

  const noise = async (): Promise<NoiseAnswer> =>
    (await app.post<NoiseAnswer>('/api/v1/noise/search', { window, baseline: before })).body;

  it('tells bytes and lines by pattern, which add up to all', async () => {
    const { rows, records, bytes } = await noise();
    expect(records).toBe(sent.length);
    expect(rows.reduce((sum, row) => sum + row.records, 0)).toBe(records);
    expect(rows.reduce((sum, row) => sum + row.bytes, 0)).toBe(bytes);
    const truth = (part: string): number =>
      sent.filter(({ text }) => text.includes(part)).reduce((sum, own) => sum + own.bytes, 0);
    const [chatty, ...others] = rows;
    // Of many lines some are looked at; these differ by a few digits.
    expect(chatty!.measured).toBe(false);
    expect(Math.abs(chatty!.bytes / truth('cache miss') - 1)).toBeLessThan(0.01);
    for (const row of others) {
      expect(row.measured).toBe(true);
      expect(row.bytes).toBe(truth(row.level === 'error' ? 'gull' : 'heartbeat'));
    }
  });

  it('says what speaks for leaving lines out, and never of errors', async () => {
    const { rows } = await noise();
    const of = (level: string) => rows.find((row) => row.level === level)!;
    expect(of('debug').reasons).toEqual([
      'written at level debug',
      'as common in the good time as in the bad one',
    ]);
    expect(of('info').reasons).toEqual(['100% of them say word for word what another says']);
    expect(of('error')).toMatchObject({ reasons: [], repeated: 1 });
    expect(of('debug').savedPerDay).toBeCloseTo(of('debug').bytes * 24, -2);
  });

  it('gives filters that match their own lines and no others', async () => {
    const { rows } = await noise();
    for (const { filter, records } of rows) {
      const matching = sent.filter(({ text }) => new RegExp(`^${filter}$`).test(text));
      expect(matching).toHaveLength(records);
    }
  });

  it('agrees with the four groups of what changed, which add up too', async () => {
    const { body } = await app.post<PatternsSearchAnswer>('/api/v1/patterns/search', {
      window,
      baseline: before,
    });
    const groups = Object.values(body.changedRecords);
    expect(groups.reduce((sum, { focus }) => sum + focus, 0)).toBe(body.matched.focus);
    expect(groups.reduce((sum, { baseline }) => sum + baseline, 0)).toBe(body.matched.baseline);
    expect(body.matched.focus).toBe(sent.length);
  });
});
