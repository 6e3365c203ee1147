import type { RequestAnswer, RequestBody, RequestsSearchAnswer, TwinAnswer } from '@flail/contract';
import { fireEvent, screen, waitFor } from '@testing-library/react';
import { answerWith } from '../testing/answers.js';
import { layOut } from '../testing/layout.js';
import { renderAt } from '../testing/render.js';
import { RequestsView } from './RequestsView.js';

const counted = (count: number) => ({ count, within: 0 });
const tally = (all: number, failed: number) => ({
  kept: all,
  all: counted(all),
  outcomes: { ok: counted(all - failed), refused: counted(0), failed: counted(failed), hidden: counted(0) },
  slow: counted(0),
  access: { read: { all: 0, failed: 0 }, write: { all: 0, failed: 0 }, unknown: { all: 0, failed: 0 } },
});
const figures = (requests: number, failed: number) => ({
  kept: requests,
  requests,
  failed,
  refused: 0,
  p50: 0.04,
  p95: 2.05,
  p99: 3,
  longest: 4,
});
const row = (trace: string, outcome: RequestBody['outcome']): RequestBody => ({
  trace,
  time: '2026-03-02T18:10:00Z',
  duration: 2.05,
  outcome,
  slow: outcome === 'failed',
  status: outcome === 'failed' ? 503 : 200,
  service: 'edge',
  operation: 'GET /nests',
  fields: {},
});
const search: RequestsSearchAnswer = {
  requests: [row('t1', 'failed'), row('t2', 'ok')],
  matched: 2,
  focus: tally(100, 20),
  baseline: tally(100, 0),
  strips: {
    from: '2026-03-02T18:00:00Z',
    step: 1800,
    focus: [{ count: 2, failed: 1, quantiles: [0.01, 0.04, 2.05, 3, 4] }],
  },
  operations: [
    {
      service: 'edge',
      operation: 'GET /nests',
      focus: figures(100, 20),
      baseline: figures(100, 0),
      failsOtherwise: true,
    },
  ],
  statuses: [{ status: 503, focus: 20, baseline: 0 }],
};
const one: RequestAnswer = {
  trace: 't1',
  time: '2026-03-02T18:10:00Z',
  duration: 2.05,
  outcome: 'failed',
  service: 'edge',
  operation: 'GET /nests',
  spans: [
    {
      id: 's1',
      depth: 0,
      service: 'edge',
      operation: 'GET /nests',
      kind: 'server',
      from: 0,
      to: 2.05,
      own: 2.05,
      failed: true,
      message: '503',
      fields: { port: 'tarn' },
      events: [{ at: 1, name: 'exception', fields: { 'exception.type': 'LateError' } }],
    },
  ],
  more: 0,
  account: [{ kind: 'own', who: 'edge', span: 0, from: 0, to: 2.05 }],
  problems: ['1 span came twice.'],
  logs: [],
};
const twin: TwinAnswer = {
  twin: { trace: 't2', time: '2026-03-02T18:09:00Z', duration: 0.04, likeness: 0.9 },
  beside: [],
  among: 7,
  differences: [{ kind: 'field', what: 'port', own: 'tarn', twin: 'skerry', likeOwn: 0 }],
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

describe('Requests', () => {
  const shown = (path = '') => {
    const asked = answerWith({
      datasets: held,
      'POST requests/search': search,
      'GET requests/t1': one,
      'GET requests/t1/twin': twin,
      'POST logs/count': { focus: 9, baseline: 9, anyTime: 9, unscoped: { focus: 9, baseline: 9 } },
      cases: [{ id: 1, name: 'Untitled', at: '', pins: 0 }],
    });
    renderAt(`/requests?focus=2026-03-02T18:00:00.000Z~2026-03-02T18:30:00.000Z${path}`, <RequestsView />);
    return asked;
  };
  const lastSearch = (asked: ReturnType<typeof shown>) =>
    asked.filter(({ path }) => path === 'requests/search').at(-1)!.body;

  it('asks for what is chosen, and keeps it in the address', async () => {
    const asked = shown();
    expect((await screen.findByTestId('finding')).textContent).toBe(
      '100 requests: 20% failed, against 0%; 0% were slow.',
    );
    expect(screen.getAllByTestId('request')).toHaveLength(2);
    fireEvent.click(screen.getByText('failed', { selector: 'label *' }));
    await waitFor(() => expect(lastSearch(asked)).toMatchObject({ preset: 'failed' }));
    const [operation] = screen.getAllByRole('button', { name: /GET \/nests/ });
    fireEvent.click(operation!);
    await waitFor(() =>
      expect(lastSearch(asked)).toMatchObject({ service: 'edge', operation: 'GET /nests' }),
    );
    expect(screen.getByTestId('address').textContent).toContain('operation=edge~GET');
  });

  it('says what a step of time shows, and cuts what is slower with the keys', async () => {
    const backToNothing = layOut(1000, 600);
    const asked = shown();
    const strips = await screen.findByRole('group', { name: 'Durations over time, failures beneath' });
    const steps = await waitFor(() => {
      const [first] = strips.getElementsByTagName('rect');
      expect(first).toBeDefined();
      return first!;
    });
    fireEvent.mouseMove(steps, { clientX: 100 });
    expect(steps).toHaveTextContent(
      /: 2 requests, 1 failed; half under 40 ms, 90% under 2.05 s, longest 4 s$/,
    );
    fireEvent.keyDown(screen.getByRole('slider', { name: 'Requests slower than' }), { key: 'ArrowDown' });
    await waitFor(() => expect(lastSearch(asked)).toHaveProperty('slower'));
    fireEvent.keyDown(screen.getByRole('slider', { name: 'Requests slower than' }), { key: 'Delete' });
    await waitFor(() => expect(lastSearch(asked)).not.toHaveProperty('slower'));
    backToNothing();
  });

  it('opens one with its account, its failed span and what was wrong, and shows its twin', async () => {
    shown('&request=t1');
    expect((await screen.findByTestId('finding')).textContent).toContain(
      'GET /nests took 2.05 s and failed. It began at edge',
    );
    expect(screen.getByText('1 span came twice.')).toBeTruthy();
    expect(screen.getByTestId('account').textContent).toContain('work of edge 2.05 s 100%');
    expect(screen.getByText('LateError')).toBeTruthy();
    fireEvent.click(screen.getByText('healthy twin'));
    expect((await screen.findByTestId('twin')).textContent).toContain('port is tarn, not skerry');
    fireEvent.click(screen.getByRole('button', { name: 'back to the list' }));
    await waitFor(() => expect(screen.getAllByTestId('request')).toHaveLength(2));
  });
});
