import '@testing-library/jest-dom';
import type { CaseAnswer, CaseBody, RecoveryAnswer } from '@flail/contract';
import { fireEvent, screen, waitFor } from '@testing-library/react';
import { type Answers, answerWith } from '../testing/answers.js';
import { renderAt } from '../testing/render.js';
import { CaseView } from './CaseView.js';
import { recoveryFinding } from './sentences.js';

const body: CaseBody = {
  id: 3,
  name: 'Leases',
  at: '2026-03-02T18:10:00Z',
  pins: 1,
  status: 'open',
  owner: 'k.dunlin',
};
const kept: CaseAnswer = {
  ...body,
  contents: {
    status: 'open',
    owner: 'k.dunlin',
    notes: '',
    dataset: 'live',
    window: { from: '2026-03-02T18:00:00Z', to: '2026-03-02T18:40:00Z' },
    scope: '',
    job: '',
    findings: [
      { kind: 'impact', text: '2.3% of the requests failed.', address: '/requests?which=failed', told: {} },
      { kind: 'change', text: 'lease 30s → 3s stands before.', address: '/changes?change=c', told: {} },
    ],
    conclusion: {
      causes: [
        {
          kind: 'change',
          text: 'The change of the lease',
          certainty: 'possible',
          evidence: [{ finding: 1, for: true }],
          temporary: 'Take it back.',
          lasting: 'Try it first.',
        },
      ],
      doubt: ['who asked for it'],
      next: ['watch it'],
    },
    hypotheses: [{ text: 'the decoy', verdict: 'open', why: '' }],
    timeline: [],
    remedies: [{ kind: 'temporary', text: 'take it back', owner: '', done: false, helped: false }],
  },
  similar: [
    { id: 1, name: 'Last month', status: 'closed', likeness: 0.6, shared: ['nest'], helped: ['taken back'] },
  ],
};

describe('a case', () => {
  const shown = (path = '/case', more: Answers = {}) => {
    const asked = answerWith({
      ...more,
      cases: [body],
      'cases/3': kept,
      'PUT cases/3': kept,
      'cases/3/pins': [],
      changes: { changes: [], total: 0, actions: [] },
      datasets: [],
    });
    renderAt(path, <CaseView />);
    return asked;
  };

  it('shows causes with what speaks for them, findings with their views, and what helped before', async () => {
    shown();
    expect(await screen.findByTestId('cause')).toHaveTextContent('The change of the lease possible');
    const links = screen.getAllByRole('link', { name: 'lease 30s → 3s stands before.' });
    expect(links[0]).toHaveAttribute('href', '/changes?change=c');
    expect(screen.getByTestId('similar')).toHaveTextContent('What helped then: taken back.');
    expect(screen.getByText('who asked for it')).toBeInTheDocument();
  });

  it('keeps verdicts, remedies and its status on the server', async () => {
    const asked = shown();
    await screen.findByTestId('hypothesis');
    fireEvent.click(screen.getByText('ruled out'));
    await waitFor(() =>
      expect(asked.filter(({ method }) => method === 'PUT').at(-1)?.body).toEqual({
        contents: { hypotheses: [{ text: 'the decoy', verdict: 'ruled out', why: '' }] },
      }),
    );
    fireEvent.click(screen.getByText('closed'));
    await waitFor(() =>
      expect(asked.filter(({ method }) => method === 'PUT').at(-1)?.body).toEqual({
        contents: { status: 'closed' },
      }),
    );
    fireEvent.click(screen.getByText('what was done'));
    fireEvent.click(await screen.findByLabelText('helped'));
    await waitFor(() =>
      expect(asked.filter(({ method }) => method === 'PUT').at(-1)?.body).toMatchObject({
        contents: { remedies: [{ text: 'take it back', helped: true }] },
      }),
    );
  });

  it('asked of another matter, opens a case of its own, and investigates the runs of a job there', async () => {
    const fresh = { ...kept, id: 4, name: 'Untitled', similar: [] };
    const asked = shown('/case?investigate=1&job=hatch&focus=2026-03-05T18:00:00Z~2026-03-05T19:00:00Z', {
      'POST cases': { ...body, id: 4 },
      'cases/4/pins': [],
      'cases/4': {
        ...fresh,
        contents: { ...kept.contents, window: undefined, findings: [], conclusion: undefined },
      },
      'PUT cases/4': fresh,
      investigations: { findings: [], conclusion: { causes: [], doubt: [], next: [] }, timeline: [] },
    });
    await waitFor(() =>
      expect(asked.find(({ path }) => path === 'investigations')?.body).toMatchObject({ job: 'hatch' }),
    );
    expect(asked.filter(({ method, path }) => method === 'POST' && path === 'cases')).toHaveLength(1);
    expect(asked.some(({ method, path }) => method === 'PUT' && path === 'cases/3')).toBe(false);
  });
});

describe('what is said of a recovery', () => {
  const told = (more: Partial<RecoveryAnswer>): string =>
    recoveryFinding({
      state: 'goes on',
      share: 0.2,
      usual: 0.001,
      p: 0,
      all: 300,
      from: '',
      step: 60,
      values: [],
      ...more,
    });
  it.each([
    [{}, /^It goes on: 20% of 300 requests failed of late, 0\.1% is usual\.$/],
    [
      { state: 'recovered' as const, share: 0, since: '2026-03-02T19:12:00Z' },
      /^Recovered since Mon 2 Mar \d\d:12: 0% of 300/,
    ],
    [{ state: 'too early to say' as const }, /^Too early to say/],
  ])('%#', (more, text) => expect(told(more)).toMatch(text));

  it('names the job where it is of runs', () =>
    expect(
      recoveryFinding(
        { state: 'goes on', share: 0.2, usual: 0, p: 0, all: 30, from: '', step: 60, values: [] },
        'hatch',
      ),
    ).toMatch(/^It goes on: 20% of 30 runs of hatch went wrong of late/));
});
