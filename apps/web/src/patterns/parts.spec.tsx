import type { NoiseAnswer, PatternAnswer, PatternsSearchAnswer, PatternSummary } from '@flail/contract';
import { screen, waitFor } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { useState } from 'react';
import { answerWith } from '../testing/answers.js';
import { renderAt } from '../testing/render.js';
import { ChangeGroups } from './ChangeGroups.js';
import { CorrectSentence } from './CorrectSentence.js';
import { GrainControl } from './GrainControl.js';
import NoiseReport from './NoiseReport.js';
import RulesList from './RulesList.js';
import { type Done, usePatternRules } from './usePatternRules.js';

const row = {
  id: 'k7f3q',
  sentence: [{ text: 'token ' }, { slot: '17', type: 'number' }, { text: ' rejected' }],
} as unknown as PatternSummary;
const detail = { slots: [{ values: [{ value: '17' }, { value: '18' }] }] } as unknown as PatternAnswer;
const body = { window: { from: '2026-03-02T17:00:00Z', to: '2026-03-02T18:00:00Z' } };

describe('correcting a sentence', () => {
  it('shows what it would change before anything is done', async () => {
    answerWith({ 'corrections/preview': { from: ['k7f3q'], to: ['a', 'b'], records: 1234 } });
    const told: unknown[] = [];
    renderAt(
      '/patterns',
      <CorrectSentence row={row} detail={detail} onCorrect={(...what) => void told.push(what)} />,
    );
    await userEvent.click(screen.getByRole('button', { name: 'rejected' }));
    expect(
      await screen.findByText(/makes 2 patterns of 1, and touches 1,234 lines. No line is changed/),
    ).toBeVisible();
    await userEvent.click(screen.getByRole('button', { name: 'Leave it' }));
    expect(told).toEqual([]);
    await userEvent.click(screen.getByTitle('number; split by its values'));
    await waitFor(() => expect(screen.getByRole('button', { name: 'Do it' })).toBeEnabled());
    await userEvent.click(screen.getByRole('button', { name: 'Do it' }));
    expect(told).toEqual([
      [
        { kind: 'split', pattern: 'k7f3q', slot: 0, values: ['17', '18'] },
        'Split a pattern by the values of a slot.',
      ],
    ]);
  });
});

describe('the groups of what changed', () => {
  it('count patterns and records, and one can be chosen', async () => {
    const of = (focus: number, baseline: number) => ({ focus, baseline });
    const answer = {
      changes: { 'first seen': 2, 'new here': 1, ceased: 4, more: 0, less: 0, 'as before': 9 },
      changedRecords: {
        'first seen': of(20, 0),
        'new here': of(5, 0),
        ceased: of(0, 40),
        more: of(0, 0),
        less: of(0, 0),
        'as before': of(900, 880),
      },
    } as unknown as PatternsSearchAnswer;
    const told: string[] = [];
    renderAt(
      '/patterns',
      <ChangeGroups answer={answer} chosen="ceased" onChoose={(name) => void told.push(name)} />,
    );
    expect(screen.getByRole('button', { name: /3 first seen 25/ })).toBeVisible();
    // What ceased is counted where it was.
    expect(screen.getByRole('button', { name: /4 ceased 40/ })).toHaveAttribute('aria-pressed', 'true');
    await userEvent.click(screen.getByRole('button', { name: /as before/ }));
    await userEvent.click(screen.getByRole('button', { name: /ceased/ }));
    expect(told).toEqual(['as before', '']);
  });
});

describe('the grain', () => {
  it('is a number that is typed, and goes back to what the grouping believes in', async () => {
    const told: (number | undefined)[] = [];
    renderAt(
      '/',
      <GrainControl patterns={40} own={180} grain={40} onChange={(grain) => void told.push(grain)} />,
    );
    await userEvent.clear(screen.getByLabelText('About how many patterns'));
    await userEvent.type(screen.getByLabelText('About how many patterns'), '25');
    await waitFor(() => expect(told).toEqual([25]));
    await userEvent.click(screen.getByRole('button', { name: 'as grouped' }));
    expect(told).toEqual([25, undefined]);
  });
});

describe('the noise report', () => {
  it('lists what lines cost, and says which figures are told from a sample', async () => {
    const noise: NoiseAnswer = {
      records: 100,
      bytes: 1000,
      more: 2,
      rows: [
        {
          pattern: 'a',
          sentence: row.sentence,
          level: 'debug',
          source: 'quay',
          records: 90,
          bytes: 900,
          measured: false,
          repeated: 0,
          savedPerDay: 21_600,
          reasons: ['written at level debug'],
          filter: 'token \\S+ rejected',
        },
        {
          pattern: 'b',
          sentence: row.sentence,
          level: 'error',
          source: 'quay',
          records: 10,
          bytes: 100,
          measured: true,
          repeated: 1,
          savedPerDay: 2400,
          reasons: [],
          filter: 'x',
        },
      ],
    };
    answerWith({ 'noise/search': noise });
    const muted: string[] = [];
    renderAt('/patterns', <NoiseReport body={body} onMute={({ pattern }) => void muted.push(pattern)} />);
    const rows = await screen.findAllByTestId('noise-row');
    expect(rows[0]).toHaveTextContent(/90%about 900 B90.*written at level debug21.6 kB/);
    // Nothing is promised of leaving out what may not go.
    expect(rows[1]).toHaveTextContent(/10%100 B10/);
    expect(rows[1]).not.toHaveTextContent('2.4 kB');
    await userEvent.click(screen.getAllByRole('button', { name: 'mute' })[1]!);
    expect(muted).toEqual(['b']);
    expect(screen.getByText(/2 rows, smaller or muted, not shown/)).toBeVisible();
  });
});

describe('marks and corrections', () => {
  const Board = () => {
    const [done, setDone] = useState<Done>();
    const rules = usePatternRules(setDone);
    return (
      <>
        <button
          type="button"
          onClick={() =>
            rules.mark(
              [
                { kind: 'muted', pattern: 'a' },
                { kind: 'muted', pattern: 'b' },
              ],
              'Muted two.',
            )
          }
        >
          mute
        </button>
        {done && (
          <button type="button" onClick={done.undo}>
            undo: {done.words}
          </button>
        )}
        <RulesList rules={rules} onClose={() => undefined} />
      </>
    );
  };

  it('are listed with their weights, and everything can be taken back', async () => {
    const at = '2026-03-02T18:00:00Z';
    const asked = answerWith({
      'POST marks': { id: 9 },
      'GET marks': {
        marks: [
          { id: 1, at, rule: { kind: 'known', pattern: 'a', weight: -20, reason: 'weekly' } },
          { id: 2, at, undoneAt: at, rule: { kind: 'muted', pattern: 'b' } },
        ],
      },
      'GET corrections': { corrections: [{ id: 5, at, rule: { kind: 'join', patterns: ['a', 'b'] } }] },
    });
    renderAt('/patterns', <Board />);
    expect(await screen.findByText(/a: known, weekly/)).toHaveTextContent('weight -20');
    expect(screen.getByText(/joined 2 patterns/)).toBeVisible();
    // What was taken back before is not listed.
    expect(screen.queryByText(/b: muted/)).toBeNull();
    await userEvent.click(screen.getByText('mute'));
    await userEvent.click(await screen.findByText('undo: Muted two.'));
    const told = (): string[] =>
      asked.filter(({ method }) => method !== 'GET').map(({ method, path }) => `${method} ${path}`);
    await waitFor(() => expect(told()).toHaveLength(4));
    expect(told().filter((one) => one.startsWith('DELETE'))).toEqual([
      'DELETE marks/9?dataset=live',
      'DELETE marks/9?dataset=live',
    ]);
    await userEvent.click(screen.getAllByText('take back')[1]!);
    await waitFor(() => expect(told()).toContain('DELETE corrections/5?dataset=live'));
  });
});
