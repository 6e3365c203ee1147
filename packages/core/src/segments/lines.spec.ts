import { filterOf, noiseOf, noiseTogether } from '../query/noise.js';
import { recordTexts } from '../export/record-texts.js';
import { MemoryStore } from '../testing/memory-store.js';
import { linesOf } from './lines.js';

const ALWAYS = { from: -Infinity, to: Infinity };
const at = (second: number): string => new Date(Date.UTC(2026, 2, 2, 18) + second * 1000).toISOString();

/** Lines of all formats, some of which their parts do not give back. */
function filled(): MemoryStore {
  const store = new MemoryStore();
  const json = Array.from({ length: 300 }, (_, index) =>
    JSON.stringify({
      ts: at(index),
      level: 'info',
      msg: `beat ${index} of ${index % 7}`,
      port: index % 2 ? 'ice' : 'fog',
    }),
  );
  store.take(json.join('\n'), { source: 'heart', attributes: { host: 'nq-01' } });
  store.take(`${at(1)} ERROR it broke\n  at Gate.open(Gate.java:42)\n${at(2)} INFO mended`, {
    source: 'trace',
  });
  store.take(Buffer.concat([Buffer.from(`${at(3)} WARN odd `), Buffer.from([0xff, 0xfe])]), {
    source: 'odd',
  });
  store.take(`time,what\n${at(4)},"a ""quoted"" thing"`, { source: 'table' });
  store.take(`ts=${at(5)} level=warn msg="lease lost" n=5`, { source: 'fmt' });
  return store;
}

describe('many lines of a segment', () => {
  it('are rebuilt as one by one', async () => {
    for (const view of filled().views()) {
      const lineOf = await linesOf(view);
      for (let row = 0; row < view.count; row++) {
        const line = lineOf(row);
        const bytes = typeof line === 'string' ? Buffer.from(line) : Buffer.from(line);
        expect(bytes.equals(Buffer.from(await view.line(row)))).toBe(true);
      }
    }
  });

  it('are written with the fields that they and their senders have', async () => {
    const [view] = filled().views();
    const textOf = await recordTexts(view!, 'jsonl', []);
    for (let row = 0; row < view!.count; row++) {
      const { time, level, service, source, text, ...fields } = JSON.parse(String(textOf(row))) as Record<
        string,
        string
      >;
      expect([time, level, service, source, text].every((one) => typeof one === 'string')).toBe(true);
      // The words of level and service as the line has them give way to those that are joined on.
      const own = ['time', 'level', 'service', 'source', 'text'];
      const others = (await view!.fields(row)).filter(([name]) => !own.includes(name));
      expect(fields).toEqual(Object.fromEntries(others));
    }
  });
});

describe('what lines come to', () => {
  it('is exact where every line is looked at', async () => {
    const store = filled();
    const cells = (await Promise.all(store.views().map((view) => noiseOf(view, true, ALWAYS)))).flat();
    const lines = await store.lines();
    const noise = noiseTogether(cells);
    expect(noise).toMatchObject({ records: lines.length, measured: true });
    expect(noise.bytes).toBe(lines.reduce((sum, line) => sum + line.length + 1, 0));
  });

  it('is near where some are, and never of lines outside', async () => {
    const store = new MemoryStore();
    const lines = Array.from(
      { length: 5000 },
      (_, index) => `${at(index)} INFO beat ${'x'.repeat(index % 40)} end`,
    );
    store.take(lines.join('\n'));
    const [view] = store.views();
    const noise = noiseTogether(await noiseOf(view!, true, ALWAYS));
    const truth = lines.reduce((sum, line) => sum + line.length + 1, 0);
    expect(noise.measured).toBe(false);
    expect(Math.abs(noise.bytes / truth - 1)).toBeLessThan(0.02);
    const start = Date.UTC(2026, 2, 2, 18) * 1000;
    const ten = await noiseOf(view!, true, { from: start, to: start + 10_000_000 });
    expect(noiseTogether(ten)).toMatchObject({ records: 10, measured: true });
  });

  it('filters match the texts of a pattern, whatever stands in its gaps', () => {
    const filter = filterOf([
      { text: 'pass (' },
      { slot: 'P-1', type: 'identifier' },
      { text: ') refused: ' },
      { slot: 'x', type: 'rest' },
    ]);
    const matches = new RegExp(`^${filter}$`);
    expect(matches.test('pass (P-77) refused: not\nvalid [yet]')).toBe(true);
    expect(matches.test('pass P-77 refused: no')).toBe(false);
  });
});
