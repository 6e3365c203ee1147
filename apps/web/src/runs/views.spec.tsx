import type { RunAnswer, RunBody, RunsTallyAnswer } from '@flail/contract';
import { fireEvent, screen, waitFor } from '@testing-library/react';
import { answerWith } from '../testing/answers.js';
import { renderAt } from '../testing/render.js';
import { runBody } from '../testing/runs.js';
import { RunsView } from './RunsView.js';

const run = (id: string, state: RunBody['state'], port: string): RunBody =>
  runBody({ id, state, parameters: { port } });
const runs = [run('r1', 'done', 'tarn'), run('r2', 'failed', 'brannay'), run('r3', 'stopped', 'tarn')];
const tally: RunsTallyAnswer = {
  jobs: [
    {
      job: 'export',
      parameter: 'port',
      lines: ['brannay', 'tarn'].map((value) => ({
        value,
        strokes: runs
          .filter(({ parameters }) => parameters.port === value)
          .map(({ id, state, from }) => ({ run: id, time: from, seconds: 20, state })),
        failed: value === 'brannay' ? 1 : 0,
        withErrors: 0,
      })),
      runs: 3,
      failed: 1,
      withErrors: 0,
      spread: { verdict: 'too few', subset: [], members: [], carries: 0, p: 1 },
    },
  ],
  stuck: [],
  actions: ['stop', 'retry'],
};
const failed: RunAnswer = {
  ...runs[1]!,
  account: [
    { kind: 'waiting', step: '', from: '2026-03-02T18:00:00Z', to: '2026-03-02T18:00:15Z' },
    { kind: 'work', step: 'encode', from: '2026-03-02T18:00:15Z', to: '2026-03-02T18:00:20Z' },
  ],
  steps: [{ name: 'encode', state: 'failed', after: [], error: 'no glyph' }],
  good: runs[0]!,
  differences: [{ kind: 'parameter', what: 'port', own: 'brannay', good: 'tarn' }],
  children: [],
  logs: [],
  matched: 0,
  actions: ['stop', 'retry'],
};
const held = [
  {
    id: 'live',
    name: 'Live',
    live: true,
    records: 9,
    window: { from: '2026-03-01T18:00:00Z', to: '2026-03-02T19:00:00Z' },
  },
];

/** Of the hundred pixels that a day has, where nothing is laid out, the last hour has the last four. */
const LAST_HOUR = { clientX: 100 * (23 / 24) };

describe('Runs', () => {
  const shown = () => {
    const asked = answerWith({
      datasets: held,
      'POST runs/search': { runs, total: 3 },
      'POST runs/tally': tally,
      'GET runs/r2': failed,
      'POST runs/r2/retry': undefined,
      cases: [{ id: 1, name: 'Untitled', at: '', pins: 0 }],
    });
    renderAt('/runs?focus=2026-03-02T18:00:00.000Z~2026-03-02T19:00:00.000Z', <RunsView />);
    return asked;
  };

  it('shows the tally over the day up to the end of the focus, and narrows the list by a line of it', async () => {
    const asked = shown();
    expect(await screen.findAllByTestId('run')).toHaveLength(3);
    const { body } = asked.find(({ path }) => path === 'runs/tally')!;
    expect(body).toMatchObject({
      window: { from: '2026-03-01T19:00:00.000Z', to: '2026-03-02T19:00:00.000Z' },
    });
    fireEvent.click(screen.getByRole('button', { name: 'brannay' }));
    await waitFor(() => expect(screen.getAllByTestId('run')).toHaveLength(1));
    fireEvent.click(screen.getByRole('button', { name: 'all jobs' }));
    await waitFor(() => expect(screen.getAllByTestId('run')).toHaveLength(3));
    fireEvent.change(screen.getByRole('textbox', { name: 'Find in runs' }), { target: { value: 'TARN' } });
    await waitFor(() => expect(screen.getAllByTestId('run')).toHaveLength(2));
  });

  it('opens a run by its stroke, and says which one is pointed at', async () => {
    shown();
    const [strokes] = await screen.findAllByRole('img', { name: '1 run, 1 failed' });
    fireEvent.mouseMove(strokes!, { clientX: 50 });
    expect(strokes).toHaveAttribute('data-pointed', 'false');
    fireEvent.mouseMove(strokes!, LAST_HOUR);
    expect(strokes).toHaveTextContent(/: failed, 20 s$/);
    fireEvent.mouseLeave(strokes!);
    expect(strokes).toHaveTextContent('');
    fireEvent.click(strokes!, { clientX: 50 });
    expect(screen.getByTestId('address').textContent).not.toContain('run=');
    fireEvent.click(strokes!, LAST_HOUR);
    await waitFor(() => expect(screen.getByTestId('address')).toHaveTextContent('run=r2'));
  });

  it('lists them by the columns that are chosen, sorted and filtered', async () => {
    shown();
    await screen.findAllByTestId('run');
    const states = () => screen.getAllByTestId('run').map((row) => row.textContent.slice(0, 6));
    fireEvent.click(screen.getByRole('button', { name: 'state' }));
    expect(states()).toEqual(['doneex', 'failed', 'stoppe']);
    fireEvent.click(screen.getByRole('button', { name: 'state ↑' }));
    expect(states()).toEqual(['stoppe', 'failed', 'doneex']);
    fireEvent.click(screen.getByRole('button', { name: 'filter columns' }));
    fireEvent.change(screen.getByRole('textbox', { name: 'Filter by parameters' }), {
      target: { value: 'Brann' },
    });
    await waitFor(() => expect(states()).toEqual(['failed']));
    fireEvent.change(screen.getByRole('textbox', { name: 'Filter by took' }), {
      target: { value: '> 1 min' },
    });
    expect(await screen.findByText('No run is left by what is asked above.')).toBeTruthy();
    fireEvent.click(screen.getByRole('button', { name: 'no filters' }));
    await waitFor(() => expect(states()).toHaveLength(3));
    expect(screen.queryByRole('columnheader', { name: 'port' })).toBeNull();
    fireEvent.click(screen.getByRole('button', { name: 'columns' }));
    fireEvent.click(await screen.findByRole('checkbox', { name: 'port' }));
    expect(await screen.findByRole('columnheader', { name: 'port' })).toBeTruthy();
  });

  it('shows one with the last good run, and tries it again after a word', async () => {
    const asked = shown();
    fireEvent.click(await screen.findByRole('img', { name: '1 run, 1 failed' }), LAST_HOUR);
    expect((await screen.findByTestId('finding')).textContent).toContain(
      'failed after 20 s at the step encode: no glyph',
    );
    expect(screen.getByTestId('last-good').textContent).toContain('brannay');
    expect(screen.getByTestId('account').textContent).toContain('waiting  15 s');
    fireEvent.click(screen.getByRole('button', { name: 'Try it again' }));
    expect(asked.some(({ path }) => path === 'runs/r2/retry')).toBe(false);
    const dialog = await screen.findByRole('dialog');
    expect(dialog.textContent).toContain('What it wrote before may be written twice');
    fireEvent.click([...dialog.querySelectorAll('button')].at(-1)!);
    await waitFor(() => expect(asked.some(({ path }) => path === 'runs/r2/retry')).toBe(true));
    expect((await screen.findByTestId('acted')).textContent).toContain('tries it again');
  });
});
