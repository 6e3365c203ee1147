import { recordTexts } from '../export/record-texts.js';
import { countFields } from '../query/field-counts.js';
import { select } from '../query/evaluate.js';
import { parseExpression } from '../query/expression.js';
import { MAX_FIELD_NAMES } from '../records/shape.js';
import { MemoryStore, testCodec } from '../testing/memory-store.js';
import { buildSegment } from './builder.js';
import { recordsOf } from './merge.js';
import type { SegmentView } from './view.js';

const START = Date.UTC(2026, 2, 2, 18);
const LINES = 3000;
const at = (index: number): string => new Date(START + index * 1000).toISOString();
const line = (index: number): string =>
  JSON.stringify({
    time: at(index),
    level: index % 2 ? 'warn' : 'info',
    msg: `beat ${index}`,
    service: `s${index % 3}`,
    [`only-${index}`]: `"v${index}" é`,
    late: index > 2000 ? String(index % 4) : undefined,
  });

describe('fields that are too many to have a column each', () => {
  let store: MemoryStore;
  let view: SegmentView;
  const lines = Array.from({ length: LINES }, (_, index) => line(index));
  beforeAll(() => {
    store = new MemoryStore();
    expect(store.take(lines.join('\n'))).toMatchObject({ accepted: LINES, malformed: 0 });
    [view] = store.views() as [SegmentView];
  });

  const matching = async (scope: string): Promise<number[]> => {
    const rows = await select(parseExpression(scope), view, () => ({ layouts: new Set<number>() }));
    return Array.from({ length: view.count }, (_, row) => row).filter(
      (row) => rows === true || (rows !== false && (rows as Uint8Array)[row] === 1),
    );
  };

  it('leave the number of columns bounded, and every line as it came', async () => {
    expect(view.summary.fields.length).toBeLessThanOrEqual(MAX_FIELD_NAMES + 1);
    expect((await store.lines()).map(String)).toEqual(lines);
    const texts = await Promise.all([0, 2999].map((row) => view.text(row)));
    expect(texts).toEqual(['beat 0', 'beat 2999']);
  });

  it('are found by name, by value and by text, as others are', async () => {
    expect(await matching('only-2500 is present')).toEqual([2500]);
    expect(await matching('only-2500 = "\\"v2500\\" é"')).toEqual([2500]);
    expect(await matching('"v2500"')).toEqual([2500]);
    expect(await matching('late = "3" and service = s0')).toEqual(
      lines.flatMap((_, index) => (index > 2000 && index % 4 === 3 && index % 3 === 0 ? [index] : [])),
    );
    expect(await matching('level = warn and late >= 2')).toEqual(
      lines.flatMap((_, index) => (index > 2000 && index % 4 === 3 ? [index] : [])),
    );
  });

  it('are told with their records, and counted', async () => {
    expect(Object.fromEntries(await view.fields(2501))).toMatchObject({
      'only-2501': '"v2501" é',
      late: '1',
      service: 's2',
    });
    const textOf = await recordTexts(view, 'jsonl', []);
    expect(JSON.parse(String(textOf(2501)))).toMatchObject({ 'only-2501': '"v2501" é', late: '1' });
    const window = { from: START * 1000, to: (START + LINES * 1000) * 1000 };
    const counts = await countFields(view, true, window, { from: 0, to: 1 }, ['late']);
    expect([...counts.get('late')!.values].sort()).toEqual([
      ['0', [249, 0]],
      ['1', [250, 0]],
      ['2', [250, 0]],
      ['3', [250, 0]],
    ]);
  });

  it('stay what they are when segments are put together', async () => {
    const again = new MemoryStore();
    again.shapes.push(...store.shapes);
    again.layouts.push(...store.layouts);
    again.contexts.push(...store.contexts);
    again.segments.push(buildSegment(await recordsOf(view), testCodec));
    expect((await again.lines()).map(String)).toEqual(lines);
    const merged = again.view(again.segments[0]!, 'merged');
    expect(await merged.fields(2501)).toEqual(await view.fields(2501));
  });
});
