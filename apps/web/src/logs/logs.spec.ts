import type { FieldDifferenceBody, LogRecord, SummaryAnswer } from '@flail/contract';
import { companyScope, momentWindow, placeOf, placeText, reachOf } from './around.js';
import { columnsOf, columnsText, toggled } from './columns.js';
import { fieldFinding } from './fields.js';
import { highlightsOf, highlightsText, marked, piecesOf, scopeTexts } from './highlights.js';
import { regularitySentence } from './regularity.js';
import { stepFor, withSteps } from './steps.js';
import { summaryFinding } from './SummaryView.js';

describe('columns', () => {
  it('stand in the address with their widths, and come back', () => {
    const columns = [
      { field: 'service', width: 130 },
      { field: 'http.route, odd:name', width: 220 },
    ];
    expect(columnsOf(columnsText(columns))).toEqual(columns);
    expect(columnsOf('')).toEqual([{ field: 'service', width: 130 }]);
    expect(columnsOf('none')).toEqual([]);
  });

  it('are kept sane whatever stands in the address', () => {
    expect(columnsOf('a:1,a:90,:,%,b:99999,c')).toEqual([
      { field: 'a', width: 48 },
      { field: 'b', width: 600 },
      { field: 'c', width: 130 },
    ]);
  });

  it('come and go', () => {
    expect(toggled(toggled([], 'port'), 'port')).toEqual([]);
  });
});

describe('highlights', () => {
  it('take colours of their own, and give them back', () => {
    const two = marked(marked([], 'lease'), 'token');
    expect(two.map(({ colour }) => colour)).toEqual([0, 1]);
    const three = marked(marked(two, 'lease'), 'berth');
    expect(three).toEqual([
      { text: 'token', colour: 1 },
      { text: 'berth', colour: 0 },
    ]);
    expect(highlightsOf(highlightsText(three))).toEqual(three);
    expect(highlightsOf('9x,,0%')).toEqual([{ text: '%', colour: 0 }]);
  });

  it('cut a line so that its pieces are the line, marked and varying parts told apart', () => {
    const text = 'token 17 rejected, Token lost';
    const pieces = piecesOf(text, [[6, 8]], [{ text: 'token', colour: 2 }]);
    expect(pieces.map((piece) => piece.text).join('')).toBe(text);
    expect(pieces.filter(({ mark }) => mark).map((piece) => piece.text)).toEqual(['token', 'Token']);
    expect(pieces.filter(({ slot }) => slot).map((piece) => piece.text)).toEqual(['17']);
  });

  it('a mark may reach over a varying part', () => {
    const pieces = piecesOf('token 17 rejected', [[6, 8]], [{ text: 'n 17 r' }]);
    expect(pieces.filter(({ mark }) => mark).map(({ text, slot }) => [text, slot])).toEqual([
      ['n ', false],
      ['17', true],
      [' r', false],
    ]);
  });

  it('show what the scope asks for, but not what it leaves out', () => {
    expect(scopeTexts('"lease lost" and level >= warn and not "shutting down"')).toEqual([
      { text: 'lease lost' },
    ]);
    expect(scopeTexts('level >')).toEqual([]);
  });
});

describe('around a record', () => {
  const record = { time: '2026-03-02T18:00:00.250001Z', cursor: 'abc' };

  it('its place comes back from the address', () => {
    expect(placeOf(placeText(record))).toEqual(record);
    expect(placeOf('nonsense')).toBeUndefined();
    expect(momentWindow(record.time)).toEqual({ from: record.time, to: '2026-03-02T18:00:00.250002Z' });
  });

  it('reaches so many lines or minutes', () => {
    expect(reachOf(record.time, '50 lines').limit).toBe(50);
    expect(reachOf(record.time, '5 min').window).toEqual({
      from: '2026-03-02T17:55:00.250001Z',
      to: '2026-03-02T18:05:00.250001Z',
    });
  });

  it('keeps to those that share something with it', () => {
    const of = { service: 'a b', fields: { instance: 'a-1', trace: 'ff' } } as unknown as LogRecord;
    expect(companyScope(of, 'all')).toBe('');
    expect(companyScope(of, 'instance')).toBe('service = "a b" and instance = a-1');
    expect(companyScope(of, 'trace')).toBe('trace = ff');
    expect(companyScope(of, 'run')).toBeUndefined();
  });
});

describe('steps and tables', () => {
  it('a window is cut into about sixty steps', () => {
    expect(stepFor({ from: 0, to: 3_600_000 })).toBe('1m');
    expect(stepFor({ from: 0, to: 2000 })).toBe('100ms');
    expect(stepFor({ from: 0, to: 400 * 86_400_000 })).toBe('1d');
    expect(withSteps('', 'count')).toBe('then count');
  });

  const answer = (rows: SummaryAnswer['rows'], baselineRows?: SummaryAnswer['rows']): SummaryAnswer => ({
    columns: [
      { name: 'level', kind: 'group' },
      { name: 'time', kind: 'time' },
      { name: 'count', kind: 'value' },
    ],
    rows,
    matched: 10,
    ...(baselineRows && { baselineRows }),
    how: { segments: 1, skipped: 0, blocks: 0, bytes: 0, patterns: 0, milliseconds: 1 },
  });
  const at = (second: number): string => new Date(second * 1000).toISOString();

  it('are told in a sentence', () => {
    expect(
      summaryFinding(
        answer([
          ['error', at(0), 7],
          ['warn', at(0), 3],
        ]),
      ),
    ).toBe('10 records in 2 rows. Most are of error: 70%.');
  });
});

describe('sentences', () => {
  const field: FieldDifferenceBody = {
    field: 'port',
    focus: 100,
    baseline: 100,
    distinct: 3,
    identifier: false,
    divergence: 0,
    values: [],
  };

  it('about a field say what differs, and nothing where nothing does', () => {
    expect(fieldFinding(field)).toBe('3 values, spread as in the baseline.');
    expect(fieldFinding({ ...field, identifier: true })).toContain('an identifier');
    expect(fieldFinding({ ...field, more: true })).toBe('At least 3 values, spread as in the baseline.');
    expect(fieldFinding({ ...field, distinct: 0, more: true, identifier: true })).toBe(
      'More values than are kept, nearly every one its own: an identifier.',
    );
    const value = {
      value: 'ice',
      focus: 60,
      baseline: 20,
      lift: 3,
      interval: [2, 4] as [number, number],
      p: 0,
      significant: true,
    };
    expect(fieldFinding({ ...field, values: [value] })).toBe('ice: 3 times.');
    const shift = {
      focus: { median: 2, p95: 3 },
      baseline: { median: 0.04, p95: 0.05 },
      unit: 'duration' as const,
      above: 1,
      p: 0,
      significant: true,
    };
    expect(fieldFinding({ ...field, shift })).toBe(
      'Larger than in the baseline: half are under 2 s, were under 40 ms.',
    );
  });

  it('about regularity are no more certain than the test', () => {
    expect(regularitySentence({ events: 2, periodic: false, p: 1 })).toContain('too few');
    expect(regularitySentence({ events: 40, periodic: false, p: 0.31 })).toContain('p = 0.31');
    expect(
      regularitySentence({
        events: 100,
        periodic: true,
        p: 0,
        period: 60,
        missed: ['x'],
        beats: 100,
        onBeat: 0.99,
      }),
    ).toBe('Every 1 min, 99% of them on the beat, 1 beat missed.');
  });
});
