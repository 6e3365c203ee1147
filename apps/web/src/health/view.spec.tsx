import type {
  ChecksAnswer,
  DatasetSummary,
  HealthAnswer,
  RequestsAnalysisAnswer,
  SuspectAnswer,
} from '@flail/contract';
import { fireEvent, screen, waitFor, within } from '@testing-library/react';
import { answerWith } from '../testing/answers.js';
import { figure, health, tally } from '../testing/health.js';
import { onsetGroup } from '../testing/moved.js';
import { renderAt } from '../testing/render.js';
import { HealthView } from './HealthView.js';

const ADDRESS = '/health?focus=2026-03-02T18:00:00Z~2026-03-02T18:40:00Z';
const failing = { share: 0.023, from: '2026-03-02T18:02:00Z', to: '2026-03-02T18:40:00Z', goesOn: true };
const none = { done: 0, 'done with errors': 0, failed: 0, stopped: 0 };
const held: DatasetSummary = {
  id: 'live',
  name: 'Live',
  records: 10,
  spans: 10,
  live: true,
  view: '',
  ready: true,
  window: { from: '2026-03-01T00:00:00Z', to: '2026-03-02T19:00:30Z' },
};
const bad = health({
  focus: tally(1000, 23),
  failing,
  figures: [figure({ name: 'requests a minute', value: 100, usual: 100 })],
  business: [
    figure({
      value: 30,
      usual: 33,
      verdict: 'below',
      stretch: { from: '2026-03-02T18:02:00Z', value: 18, usual: 36 },
      values: [30, null, 18],
      low: [25, 25, 25],
      high: [40, 40, 40],
    }),
  ],
  retried: { failed: 23, again: 20, recovered: 5, sampled: false },
  runs: [{ job: 'export', focus: { ...none, failed: 2 }, baseline: { ...none, done: 4 }, stuck: 1 }],
  entities: [
    { service: 'nest', instance: 'nest-4', calls: 200, failed: 20, p95: 0.3 },
    { service: 'nest', instance: 'nest-1', calls: 210, failed: 0, p95: 0.2 },
  ],
  objectives: [
    {
      objective: { id: 1, name: 'boardings', service: 'edge', target: 0.99, days: 28 },
      burns: [300, 3600, 21_600, 259_200].map((seconds) => ({ seconds, all: 100, failed: 3, rate: 3 })),
      left: 0.4,
      lasts: 7200,
    },
  ],
});
const analysis: RequestsAnalysisAnswer = {
  looked: 23,
  of: 23,
  origins: [{ service: 'nest', operation: 'lease', requests: 23, of: 23, passedOn: 0, message: 'lost' }],
  makeUp: [],
  spread: [],
};
const checks: ChecksAnswer = {
  checks: [
    { name: 'clock', passed: false, finding: 'The clock of nest-4 (41 s) is off.', todo: 'Set it.' },
    { name: 'single', passed: true, finding: 'Every service has several instances.', todo: '' },
  ],
  availability: {
    from: '2026-03-02T00:00:00Z',
    step: 3600,
    lines: [{ name: 'north quay', values: [1, 0.4, null] }],
  },
};
const suspect: SuspectAnswer = {
  failing: { verdict: 'follows', own: 0.1, others: 0, p: 1e-9 },
  slowness: { verdict: 'does not follow', own: 0.3, others: 0.2, p: 0.4 },
  from: '2026-03-02T18:00:00Z',
  step: 600,
  siblings: [
    {
      name: 'nest-4',
      calls: 200,
      failed: 20,
      p50: 0.1,
      p95: 0.3,
      failedShare: [0, 0.2],
      slowest: [0.3, 0.4],
    },
    {
      name: 'nest-1',
      calls: 210,
      failed: 0,
      p50: 0.1,
      p95: 0.2,
      failedShare: [0, null],
      slowest: [0.2, null],
    },
  ],
};

const shown = (answer: HealthAnswer, address = ADDRESS) => {
  const asked = answerWith({
    datasets: [held],
    overview: answer,
    'requests/analysis': analysis,
    'checks/search': checks,
    'onsets/search': {
      groups: [onsetGroup('lease-store', 2)],
      origins: [{ group: 0, role: 'likely origin', for: [], against: [], score: 1 }],
      changes: [],
      depends: [],
      scanned: 400,
    },
    suspect,
  });
  renderAt(address, <HealthView />);
  return asked;
};

describe('the view of Health', () => {
  it('begins with the sentence of the hour, and asks for what stands beside it after that', async () => {
    const asked = shown(bad);
    const finding = await screen.findByTestId('finding');
    await waitFor(() =>
      expect(finding).toHaveTextContent(
        /^2\.3% of requests fail, since Mon 2 Mar \d\d:02; .*they begin at nest; boardings a minute 50% down; 2 runs failed; 1 run is stuck/,
      ),
    );
    const order = asked.map(({ path }) => path).filter((path) => !path.startsWith('datasets'));
    expect(order[0]).toBe('overview');
    expect(new Set(order.slice(1))).toEqual(new Set(['requests/analysis', 'checks/search', 'onsets/search']));
  });

  it('shows figures against what is usual, and how long they have been off', async () => {
    shown(bad);
    const tiles = await screen.findAllByTestId('figure');
    expect(tiles.map((tile) => tile.getAttribute('data-verdict'))).toEqual(['as usual', 'below']);
    expect(tiles[1]).toHaveTextContent(/boardings a minute.*30.*usual.*33.*50% down since \d\d:02/);
  });

  it('tells what came again, what is promised, runs, and standing risks', async () => {
    shown(bad);
    expect(
      await screen.findByText(
        'Of 23 failing requests 20 came again within two minutes, 5 of them with success.',
      ),
    ).toBeInTheDocument();
    expect(screen.getByTestId('objective')).toHaveTextContent(
      /Of boardings 1\.0% may fail over 28 days: 40% of the budget is left; .*5 min ×3\.0/,
    );
    expect(screen.getByTestId('runs')).toHaveTextContent(/export.*was 4.*2.*1/);
    expect(await screen.findByTestId('checks')).toHaveTextContent(
      /1 of 2 checks not passed.*The clock of nest-4 \(41 s\) is off\. Set it\..*Passed.*several instances/,
    );
  });

  it('feeds what is unusual from the onsets, and leads there', async () => {
    shown(bad);
    const link = await screen.findByRole('link', { name: /lease-store/ });
    fireEvent.click(link);
    expect(screen.getByTestId('address')).toHaveTextContent(/^\/onsets\?focus=2026-03-02T18:00.*row=0/);
  });

  it('tests a suspect against its siblings, in a sentence', async () => {
    const asked = shown(bad);
    fireEvent.click(await screen.findByRole('button', { name: 'Test nest-4 against its siblings' }));
    const found = await screen.findByTestId('suspect');
    await waitFor(() => expect(found).toHaveTextContent(/Failing follows nest-4/));
    expect(within(found).getAllByRole('row')).toHaveLength(3);
    expect(asked.find(({ path }) => path === 'suspect')!.body).toMatchObject({
      service: 'nest',
      field: 'instance',
      value: 'nest-4',
    });
    fireEvent.click(within(found).getByRole('button', { name: 'Close the comparison' }));
    expect(screen.queryByTestId('suspect')).toBeNull();
  });

  it('leads from failures to the requests with the windows carried', async () => {
    shown(bad);
    fireEvent.click(await screen.findByRole('link', { name: 'the failing requests' }));
    expect(screen.getByTestId('address')).toHaveTextContent(
      '/requests?focus=2026-03-02T18:00:00Z~2026-03-02T18:40:00Z&which=failed',
    );
  });

  it('begins with what matters to a lead: the promises and the business', async () => {
    shown(bad, `${ADDRESS}&for=lead`);
    const tiles = await screen.findAllByTestId('figure');
    expect(tiles[0]).toHaveTextContent('boardings a minute');
    expect(screen.queryByTestId('spread')).toBeNull();
    expect(screen.getByTestId('objective')).toBeInTheDocument();
  });

  it('is quiet on a quiet hour, which is the last one where none is drawn', async () => {
    const asked = shown(health({}), '/health');
    expect(await screen.findByTestId('finding')).toHaveTextContent(
      /^No request fails\. This is the last hour; draw a focus for another time\.$/,
    );
    expect(asked.find(({ path }) => path === 'overview')!.body).toMatchObject({
      window: { from: '2026-03-02T18:00:00.000Z', to: '2026-03-02T19:00:00.000Z' },
      baseline: { from: '2026-03-02T17:00:00.000Z', to: '2026-03-02T18:00:00.000Z' },
    });
    await screen.findByTestId('checks');
    expect(asked.some(({ path }) => path === 'requests/analysis')).toBe(false);
  });
});
