import { MemoryStore } from '../testing/memory-store.js';
import { BrokenBlockError } from './block.js';
import { SEGMENT_RECORDS } from './segment.js';

const line = (second: number, text: string, more: object = {}): string =>
  JSON.stringify({ ts: new Date(Date.UTC(2026, 2, 2, 18, 0, second)).toISOString(), msg: text, ...more });

describe('a segment', () => {
  it('holds its records in the order of time, those of one time in order of arrival', async () => {
    const store = new MemoryStore();
    store.take([line(5, 'late'), line(1, 'first'), line(5, 'later'), line(3, 'middle')].join('\n'));
    expect(await store.texts()).toEqual(['first', 'middle', 'late', 'later']);
    const [view] = store.views();
    expect([...(await view!.seqs())]).toEqual([1, 3, 0, 2]);
  });

  it('sums itself up truly', () => {
    const store = new MemoryStore();
    store.take(
      [
        line(1, 'x 1', { level: 'error' }),
        line(2, 'x 2', { level: 'info', n: 1 }),
        line(9, 'y', { service: 'a' }),
      ].join('\n'),
    );
    const [view] = store.views();
    const { summary } = view!;
    expect(summary).toMatchObject({ count: 3, firstSeq: 0, lastSeq: 2, services: ['test', 'a'] });
    expect(summary.to - summary.from).toBe(8_000_000);
    expect(summary.levels).toEqual([1, 0, 0, 1, 0, 1, 0]);
    expect(summary.layoutCounts).toEqual([2, 1]);
    expect(summary.layoutLast[0]! - summary.layoutFirst[0]!).toBe(1_000_000);
    expect([...summary.fields].sort()).toEqual(['level', 'n', 'service']);
  });

  it('knows which rows have a field', async () => {
    const store = new MemoryStore();
    store.take([line(1, 'a', { n: 5 }), line(2, 'b'), line(3, 'c', { n: 7 })].join('\n'));
    const [view] = store.views();
    const field = (await view!.field('n'))!;
    expect([...field.rows]).toEqual([0, -1, 1]);
    expect([field.column.get(0), field.column.get(1)]).toEqual(['5', '7']);
    expect(await view!.field('nowhere')).toBeUndefined();
  });

  it('is sealed when full, so that none is larger', () => {
    const store = new MemoryStore();
    store.take(Array.from({ length: SEGMENT_RECORDS + 10 }, (_, index) => `x ${index}`).join('\n'));
    expect(store.views().map(({ count }) => count)).toEqual([SEGMENT_RECORDS, 10]);
  });

  it('splits slot values into chunks that are read apart', async () => {
    const store = new MemoryStore();
    const texts = Array.from(
      { length: 6000 },
      (_, index) => `${'abcdefghij'[index % 10]!.repeat(8)}x "${String(Math.sin(index)).repeat(3)}"`,
    );
    store.take(texts.map((text, index) => line(index % 3000, text)).join('\n'));
    const [view] = store.views();
    expect(view!.summary.slotChunks.length).toBeGreaterThan(1);
    expect((await store.texts()).sort()).toEqual([...texts].sort());
  });

  it('gives back lines of more kinds than a byte can tell apart, whatever memory its bytes lie in', async () => {
    const store = new MemoryStore();
    const words = 'abcdefghijklmnopqrst'.split('');
    const lines = words.flatMap((a) => words.map((b) => `the ${a.repeat(3)} of ${b.repeat(4)} went`));
    store.take(lines.map((text, index) => line(index % 60, text)).join('\n'));
    const [view] = store.views();
    expect(view!.summary.layouts.length).toBeGreaterThan(256);
    expect((await store.texts()).sort()).toEqual([...lines].sort());
    const counts = new Array<number>(view!.summary.layouts.length).fill(0);
    for (const code of await view!.layouts()) counts[code]!++;
    expect(counts).toEqual(view!.summary.layoutCounts);
  });

  it('tells which column is broken, and still reads the others', async () => {
    const store = new MemoryStore();
    store.take([line(1, 'a', { n: 5 }), line(2, 'b', { n: 6 })].join('\n'));
    store.seal();
    const [segment] = store.segments;
    const bytes = Uint8Array.from(segment!.columns.get('f:n')!);
    bytes[bytes.length - 1]! ^= 1;
    segment!.columns.set('f:n', bytes);
    const [view] = store.views();
    await expect(view!.field('n')).rejects.toThrow(BrokenBlockError);
    await expect(view!.field('n')).rejects.toThrow('f:n');
    expect(await view!.text(0)).toBe('a');
  });

  it('of another version is refused', () => {
    const store = new MemoryStore();
    store.take('x');
    store.seal();
    store.segments[0]!.summary.version = 99;
    expect(() => store.views()).toThrow('version 99');
  });
});
