import type {
  CorrectionPreview,
  KeptCorrection,
  KeptMark,
  PatternsSearchAnswer,
  PatternSummary,
  ProblemBody,
  RulesBundle,
} from '@flail/contract';
import { TestApp } from '../testing/test-app.js';

const TIME = '2026-03-02T12:00:00Z';
const window = { from: '2026-03-02T11:00:00Z', to: '2026-03-02T13:00:00Z' };
const line = (text: string): string => JSON.stringify({ ts: TIME, level: 'info', msg: text });

const LINES = [
  ...['door opened wide', 'door opened wide', 'door closed wide'],
  ...['holm', 'tarn', 'holm', 'eider', 'holm', 'rousay'].map(
    (port, at) => `ferry ${at} left port=${port} late`,
  ),
];

/** Where a pattern's sentence has a slot. */
const sentenceOf = ({ sentence }: PatternSummary): string =>
  sentence.map((part) => ('text' in part ? part.text : '·')).join('');

describe('corrections and marks', () => {
  let app: TestApp;
  beforeEach(async () => {
    app = await TestApp.start();
    await app.take(LINES.map(line).join('\n'));
  });
  afterEach(() => app.end());

  const table = async (more: object = {}): Promise<PatternsSearchAnswer> =>
    (await app.post<PatternsSearchAnswer>('/api/v1/patterns/search', { window, order: 'common', ...more }))
      .body;
  const counts = async (more: object = {}): Promise<Record<string, number>> =>
    Object.fromEntries((await table(more)).patterns.map((row) => [row.id, row.focus]));
  const idOf = async (text: string): Promise<string> => (await table({ scope: `"${text}"` })).patterns[0]!.id;
  const remove = (path: string): Promise<Response> =>
    fetch(`${app.url}/api/v1/${path}`, { method: 'DELETE' });

  it('make a word a value, for what is stored and what will come, until taken back', async () => {
    const opened = await idOf('door opened');
    const rule = { kind: 'slot', pattern: opened, word: 'opened' };
    const preview = await app.post<CorrectionPreview>('/api/v1/corrections/preview', rule);
    expect(preview.body).toMatchObject({ to: [opened], records: 3 });
    expect(preview.body.from).toHaveLength(2);
    expect((await table()).total).toBe(3);
    const kept = await app.post<KeptCorrection>('/api/v1/corrections', rule);
    expect(kept.status).toBe(201);
    expect((await counts())[opened]).toBe(3);
    await app.take(line('door jammed wide'));
    expect((await counts())[opened]).toBe(4);
    expect((await table()).patterns.map(sentenceOf)).toContain('door · wide');
    expect((await remove(`corrections/${kept.body.id}`)).status).toBe(204);
    expect((await counts())[opened]).toBe(2);
    expect(
      (await fetch(`${app.url}/api/v1/corrections/${kept.body.id}/redo`, { method: 'POST' })).status,
    ).toBe(204);
    expect((await counts())[opened]).toBe(4);
  });

  it('split a pattern by the values of a slot, so that each can be searched', async () => {
    const left = await idOf('left port');
    await app.post('/api/v1/corrections', { kind: 'split', pattern: left, slot: 1 });
    expect(await counts()).toMatchObject({ [`${left}:holm`]: 3, [`${left}:tarn`]: 1, [`${left}:eider`]: 1 });
    const matched = async (scope: string): Promise<number> =>
      (await app.post<{ matched: number }>('/api/v1/logs/search', { window, scope })).body.matched;
    expect(await matched(`pattern ${left}:holm`)).toBe(3);
    expect(await matched(`not pattern ${left}:holm`)).toBe(LINES.length - 3);
    expect(await matched(`pattern ${left}`)).toBe(6);
  });

  it('split off single values, and leave the others together', async () => {
    const left = await idOf('left port');
    await app.post('/api/v1/corrections', { kind: 'split', pattern: left, slot: 1, values: ['holm'] });
    expect(await counts()).toMatchObject({ [`${left}:holm`]: 3, [left]: 3 });
    const { body } = await app.post<{ matched: number }>('/api/v1/logs/search', {
      window,
      scope: `pattern ${left}`,
    });
    expect(body.matched).toBe(3);
  });

  it('never lose or double a record, whatever the rules and the grain', async () => {
    const [opened, left] = [await idOf('door opened'), await idOf('left port')];
    await app.post('/api/v1/corrections', {
      kind: 'split',
      pattern: left,
      slot: 1,
      values: ['holm', 'nowhere'],
    });
    await app.post('/api/v1/corrections', { kind: 'join', patterns: [opened, left] });
    await app.post('/api/v1/marks', { kind: 'muted', pattern: opened });
    for (const grain of [undefined, 1, 2, 3, 5, 100]) {
      const { patterns, muted, matched } = await table(grain === undefined ? {} : { grain });
      expect(patterns.reduce((sum, row) => sum + row.focus, 0) + muted.focus).toBe(LINES.length);
      expect(matched.focus + muted.focus).toBe(LINES.length);
    }
  });

  it('give names that expressions know', async () => {
    const opened = await idOf('door opened');
    await app.post('/api/v1/corrections', { kind: 'name', pattern: opened, name: 'doors' });
    expect((await table()).patterns.find(({ id }) => id === opened)!.name).toBe('doors');
    const { body } = await app.post<{ matched: number }>('/api/v1/logs/search', {
      window,
      scope: 'pattern doors',
    });
    expect(body.matched).toBe(2);
  });

  it('mute, and rank known patterns down, until an end date', async () => {
    const [opened, closed] = [await idOf('door opened'), await idOf('door closed')];
    const before = (await table({ order: 'surprise' })).patterns.find(({ id }) => id === opened)!;
    await app.post('/api/v1/marks', { kind: 'known', pattern: opened, reason: 'the tour', weight: 0.5 });
    const known = (await table({ order: 'surprise' })).patterns.find(({ id }) => id === opened)!;
    expect(known.mark).toEqual({ kind: 'known', reason: 'the tour', weight: 0.5 });
    expect(known.surprise).toBeCloseTo(before.surprise / 2, 9);
    const muted = await app.post<KeptMark>('/api/v1/marks', {
      kind: 'muted',
      pattern: closed,
      until: '2999-01-01T00:00:00Z',
    });
    expect((await table()).muted).toEqual({ patterns: 1, focus: 1 });
    expect((await table()).patterns.map(({ id }) => id)).not.toContain(closed);
    await remove(`marks/${muted.body.id}`);
    await app.post('/api/v1/marks', { kind: 'muted', pattern: closed, until: '2020-01-01T00:00:00Z' });
    expect((await table()).muted).toEqual({ patterns: 0, focus: 0 });
  });

  it('are carried to another store', async () => {
    const opened = await idOf('door opened');
    await app.post('/api/v1/corrections', { kind: 'slot', pattern: opened, word: 'opened' });
    await app.post('/api/v1/marks', { kind: 'worth reading', pattern: opened, reason: 'new doors' });
    const { body: bundle } = await app.get<RulesBundle>('/api/v1/corrections/export');
    const other = await TestApp.start();
    try {
      await other.take(LINES.map(line).join('\n'));
      const taken = await other.post('/api/v1/corrections/import', bundle);
      expect(taken.body).toEqual({ corrections: 1, marks: 1 });
      const { body } = await other.post<PatternsSearchAnswer>('/api/v1/patterns/search', {
        window,
        order: 'common',
      });
      const row = body.patterns.find(({ id }) => id === opened)!;
      expect(row).toMatchObject({
        focus: 3,
        mark: { kind: 'worth reading', reason: 'new doors', weight: 2 },
      });
      expect((await other.post('/api/v1/corrections/import', bundle)).body).toEqual({
        corrections: 0,
        marks: 0,
      });
    } finally {
      await other.end();
    }
  });

  it.each([
    ['corrections', { kind: 'join', patterns: ['one'] }, 'validation'],
    ['corrections', { kind: 'join', patterns: ['nosuch', 'neither'] }, 'no-such-pattern'],
    ['corrections', { kind: 'wrong' }, 'validation'],
    ['corrections', { kind: 'name', pattern: 'nosuch', name: 'x' }, 'no-such-pattern'],
    ['marks', { kind: 'muted', pattern: 'nosuch' }, 'no-such-pattern'],
    ['marks', { kind: 'loud', pattern: 'x' }, 'validation'],
  ])('refuse %s %j', async (kind, body, code) => {
    const answer = await app.post<ProblemBody>(`/api/v1/${kind}`, body);
    expect(answer.body).toMatchObject({ status: 400, code });
  });

  it('refuse a word or a slot that the pattern does not have', async () => {
    const opened = await idOf('door opened');
    const word = await app.post<ProblemBody>('/api/v1/corrections', {
      kind: 'slot',
      pattern: opened,
      word: 'absent',
    });
    expect(word.body.code).toBe('no-such-word');
    const slot = await app.post<ProblemBody>('/api/v1/corrections', {
      kind: 'split',
      pattern: opened,
      slot: 7,
    });
    expect(slot.body.code).toBe('no-such-slot');
    expect((await remove('corrections/99')).status).toBe(404);
  });
});
