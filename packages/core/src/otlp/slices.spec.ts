import fc from 'fast-check';
import { itemsOf } from './items.js';
import { readJson } from './slices.js';

interface Scope {
  spans?: unknown;
}

/** All spans of a request, with what stands beside them. */
function gone(request: unknown): unknown {
  const { resourceSpans } = request as { resourceSpans?: { resource?: unknown; scopeSpans?: Scope[] }[] };
  return resourceSpans?.map(({ resource, scopeSpans }) => [
    resource,
    scopeSpans?.map(({ spans, ...scope }) => [scope, [...itemsOf(spans)]]),
  ]);
}

const read = (text: string): unknown => readJson('traces', new TextEncoder().encode(text), gone);

/** Enough of it that it is read in slices. */
const LARGE = 'x'.repeat(4 * 1024 * 1024);
const spans = (count: number, more: object = {}): object[] =>
  Array.from({ length: count }, (_, at) => ({ name: `span ${at}`, at, ...more }));

describe('large requests', () => {
  it('give the same items as small ones, of every list', () => {
    const request = {
      note: LARGE,
      resourceSpans: [
        { resource: { site: 'north-quay' }, scopeSpans: [{ scope: { name: 'a' }, spans: spans(3000) }] },
        { scopeSpans: [{ spans: [] }, { spans: spans(1), scope: { name: 'after' } }, {}], resource: 7 },
        { scopeSpans: [{ scope: 1, spans: spans(2000, { text: '"]}, {[" \\\\" \\' }) }] },
      ],
    };
    expect(read(JSON.stringify(request))).toEqual(gone(request));
    expect(read(JSON.stringify(request, null, 2))).toEqual(gone(request));
  });

  it('are read as a whole where their names do not fit', () => {
    const twice = `{"resourceSpans":[{"scopeSpans":[{"spans":[{"a":1}],"spans":[{"b":2}]}]}],"note":"${LARGE}"}`;
    expect(read(twice)).toEqual([[undefined, [[{}, [{ b: 2 }]]]]]);
    const numbers = `{"resourceSpans":[{"scopeSpans":[{"spans":0},{"spans":[{"b":2}]}]}],"note":"${LARGE}"}`;
    expect(read(numbers)).toEqual([
      [
        undefined,
        [
          [{}, []],
          [{}, [{ b: 2 }]],
        ],
      ],
    ]);
  });

  it.each([
    `{"resourceSpans":[{"scopeSpans":[{"spans":[{"a":1},{"a":]}]}],"note":"${LARGE}"}`,
    `{"resourceSpans":[{"scopeSpans":[{"spans":[${`{"a":"${'y'.repeat(70_000)}"},`.repeat(60)}]}]}]}`,
    `{"resourceSpans":[{"scopeSpans":[{"spans":[{"a":1}]}]}],"note":"${LARGE}`,
    `{"resourceSpans":[{"scopeSpans":[{"spans":[{"a":1}]}]}],"note":"${LARGE}"}}`,
    `{"resourceSpans":[{"scopeSpans":[{"spans":[{"a":1}]}],"note":"${LARGE}"}`,
  ])('tell as JSON.parse does what is wrong (%#)', (text) => {
    const message = (work: () => unknown): string => {
      try {
        work();
        return 'nothing';
      } catch (error) {
        return String(error);
      }
    };
    expect(message(() => read(text))).toBe(message(() => JSON.parse(text)));
    expect(message(() => read(text))).toContain('SyntaxError');
  });

  it('are never told apart from small ones, whatever their values', () => {
    const scope = fc.record(
      { scope: fc.jsonValue(), spans: fc.oneof(fc.array(fc.jsonValue()), fc.jsonValue()) },
      { requiredKeys: [] },
    );
    const group = fc.record({ resource: fc.jsonValue(), scopeSpans: fc.array(scope) }, { requiredKeys: [] });
    fc.assert(
      fc.property(fc.array(group, { maxLength: 4 }), (resourceSpans) => {
        const text = JSON.stringify({ resourceSpans, note: LARGE });
        expect(read(text)).toEqual(gone(JSON.parse(text)));
      }),
      { numRuns: 60 },
    );
  });
});
