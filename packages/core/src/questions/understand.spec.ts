import { timeNamed } from './times.js';
import { understand, type Understood } from './understand.js';
import { singular, type Vocabulary } from './words.js';

const NOW = new Date(2026, 2, 4, 18, 30).getTime();
const at = (day: number, hour: number, minute = 0): number => new Date(2026, 2, day, hour, minute).getTime();

const vocabulary: Vocabulary = {
  services: ['gate-edge', 'boarding-api', 'lock-store', 'tide-feed'],
  operations: [{ service: 'gate-edge', operation: 'POST /v1/boardings' }],
  jobs: ['manifest-export', 'tide-import'],
  fields: [
    'service',
    'instance',
    'site',
    'host',
    'http.route',
    'port',
    'vessel_class',
    'error.type',
    'level',
    'by',
  ],
  parameters: ['port', 'library'],
  values: [
    { field: 'site', value: 'north-quay' },
    { field: 'site', value: 'south-quay' },
    { field: 'instance', value: 'boarding-api-4' },
  ],
};

const read = (question: string, before?: Understood) => understand(question, vocabulary, NOW, before);

describe('a question in plain words', () => {
  it.each<[question: string, understood: Partial<Understood>]>([
    [
      'Which ports fail most since yesterday?',
      {
        asks: 'which go wrong',
        of: 'requests',
        saidOf: false,
        by: 'port',
        wrong: 'failed',
        terms: [],
        window: { from: at(3, 0), to: NOW },
      },
    ],
    ['When did lease lost first appear?', { asks: 'first', of: 'records', terms: ['"lease lost"'] }],
    [
      'when was “fencing token” last seen in lock store',
      { asks: 'last', terms: ['"fencing token"', 'service = lock-store'] },
    ],
    [
      'How many requests failed in the last 15 minutes?',
      { asks: 'how many', of: 'requests', wrong: 'failed', window: { from: at(4, 18, 15), to: NOW } },
    ],
    [
      'how often did "cache miss" come today',
      { asks: 'how many', of: 'records', terms: ['"cache miss"'], window: { from: at(4, 0), to: NOW } },
    ],
    ['what changed before 18:10?', { asks: 'changed', window: { from: at(4, 17, 10), to: at(4, 18, 10) } }],
    ['what moved first', { asks: 'moved', terms: [] }],
    ['when did boarding-api start to fail?', { asks: 'moved', service: 'boarding-api' }],
    [
      'What is new in the logs of tide feed?',
      { asks: 'new', of: 'records', service: 'tide-feed', terms: ['service = tide-feed'] },
    ],
    ['what do the failing requests have in common', { asks: 'apart', of: 'requests', wrong: 'failed' }],
    [
      'why do runs of manifest-export fail',
      { asks: 'why', of: 'runs', job: 'manifest-export', wrong: 'failed' },
    ],
    ['which operations are slowest at north quay', { asks: 'slowest', terms: ['site = north-quay'] }],
    ['Is any run stuck?', { asks: 'stuck', of: 'runs' }],
    [
      'show errors of boarding-api-4 between 18:00 and 18:20',
      {
        asks: 'show',
        of: 'records',
        terms: ['level >= error', 'instance = boarding-api-4'],
        window: { from: at(4, 18), to: at(4, 18, 20) },
      },
    ],
    [
      'which hosts log most warnings',
      { asks: 'which are most', of: 'records', by: 'host', terms: ['level >= warn'] },
    ],
    ['which vessel classes are slow?', { asks: 'which go wrong', by: 'vessel_class', wrong: 'slow' }],
    [
      'which library fails in manifest-export',
      { asks: 'which go wrong', of: 'runs', by: 'library', job: 'manifest-export' },
    ],
    [
      'how many passes were refused yesterday',
      { asks: 'how many', of: 'records', terms: ['"passes"', '"refused"'] },
    ],
    ['which routes fail most', { asks: 'which go wrong', by: 'http.route' }],
  ])('%s', (question, expected) => {
    const { understood, unread } = read(question);
    expect(unread).toEqual([]);
    expect(understood).toMatchObject(expected);
  });

  it('is not taken for more than its words say', () => {
    expect(read('Tell me a joke about ferries')).toEqual({ unread: ['joke', 'ferries'] });
    expect(read('').understood).toBeUndefined();
    expect(read('what moved first because of walruses').unread).toEqual(['because', 'walruses']);
    expect(read('and by site?').understood).toBeUndefined();
  });

  it('takes from the one before what it leaves out', () => {
    const first = read('Which ports fail most since yesterday?').understood!;
    const bySite = read('and by site?', first).understood!;
    expect(bySite).toMatchObject({
      asks: 'which go wrong',
      by: 'site',
      wrong: 'failed',
      window: first.window,
    });
    expect(bySite.carried).toEqual(['the question', 'since yesterday']);
    const narrowed = read('only north-quay', bySite).understood!;
    expect(narrowed.terms).toEqual(['site = north-quay']);
    expect(read('south quay?', narrowed).understood!.terms).toEqual(['site = south-quay']);
    expect(read('and today?', narrowed).understood).toMatchObject({
      window: { from: at(4, 0), to: NOW },
      terms: ['site = north-quay'],
    });
    // A question of its own keeps the time, and what it points at.
    const asked = read('when did lease lost first appear?', narrowed).understood!;
    expect(asked).toMatchObject({ asks: 'first', terms: ['"lease lost"'], window: first.window });
    expect(asked.carried).toEqual(['since yesterday']);
    expect(read('how often did it come?', asked).understood).toMatchObject({
      asks: 'how many',
      of: 'records',
      terms: ['"lease lost"'],
    });
  });

  it.each([
    ['since yesterday', at(3, 0), NOW],
    ['yesterday', at(3, 0), at(4, 0)],
    ['last night', at(3, 20), at(4, 6)],
    ['this morning', at(4, 6), at(4, 12)],
    ['in the last hour', at(4, 17, 30), NOW],
    ['over the past 2 days', at(2, 18, 30), NOW],
    ['since 18:00', at(4, 18), NOW],
    ['after half an hour ago', at(4, 18), NOW],
    ['from 18:00 to 18:20', at(4, 18), at(4, 18, 20)],
    ['18:00 to 18:20 yesterday', at(3, 18), at(3, 18, 20)],
    ['around 18:10', at(4, 18), at(4, 18, 20)],
    ['on Monday', at(2, 0), at(3, 0)],
    ['since Tuesday', at(3, 0), NOW],
    ['2026-03-02 10:00', at(2, 9, 50), at(2, 10, 10)],
  ])('names the time %s', (words, from, to) => {
    expect(timeNamed(`what changed ${words}`, NOW)).toMatchObject({ window: { from, to } });
  });

  it('names no time where it says none', () => {
    expect(timeNamed('what changed', NOW)).toBeUndefined();
    expect(timeNamed('errors of host nq-01', NOW)).toBeUndefined();
  });

  it.each([
    ['ports', 'port'],
    ['classes', 'class'],
    ['queries', 'query'],
    ['status', 'status'],
    ['hosts', 'host'],
  ])('%s are of %s', (plural, one) => {
    expect(singular(plural)).toBe(one);
  });
});
