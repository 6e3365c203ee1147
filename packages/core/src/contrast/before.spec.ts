import { contrastOf } from './contrast.js';
import { earlyFindings, tellingValues } from './before.js';
import type { CohortTable } from './table.js';

const line = (pattern: string, at: number, text: string, fields: Record<string, string> = {}) => ({
  pattern,
  service: 'tide',
  at: at * 60e6,
  text,
  fields,
});

describe('lines before the failing began', () => {
  const berths = ['quay/1', 'quay/2', 'pier/1', 'pier/2', 'pier/3'];
  const codes = Int32Array.from({ length: 200 }, (_, at) => at % 5);
  const table: CohortTable = {
    failing: Uint8Array.from(codes, (code) => (code < 2 ? 1 : 0)),
    weights: new Float64Array(200).fill(1),
    ids: Array.from({ length: 200 }, (_, at) => String(at)),
    features: [
      { name: { kind: 'field', name: 'berth' }, column: { of: 'categories', codes, values: berths } },
    ],
  };
  const values = tellingValues(table, contrastOf(table));

  it('are told by the values that the failing have in common', () => {
    expect(values.map(({ value }) => value).sort()).toEqual(['quay/1', 'quay/2']);
    expect(values[0]!.weight).toBeGreaterThan(5);
  });

  it('are led by one that names them, though it looks harmless and others stand nearer', () => {
    const found = earlyFindings(
      [
        line('odd', 59, 'something odd came up'),
        line('cal', 30, 'calibration applied', { station: 's-2', berths: 'quay/1,quay/2' }),
        line('other', 58, 'berth pier/1 swept'),
        line('late', 70, 'berth quay/1 quay/2 closed'),
      ],
      values,
      60 * 60e6,
    );
    expect(found.map(({ line: { pattern } }) => pattern)).toEqual(['cal', 'odd', 'other']);
    expect(found[0]!.shared.map(({ value }) => value).sort()).toEqual(['quay/1', 'quay/2']);
  });
});
