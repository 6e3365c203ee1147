import type { PlotAnswer } from '@flail/contract';
import { fireEvent, screen, waitFor, within } from '@testing-library/react';
import { answerWith } from '../testing/answers.js';
import { onsetGroup } from '../testing/moved.js';
import { renderAt } from '../testing/render.js';
import { MetricsView } from './MetricsView.js';
import { plotOf, plotsText } from './plots.js';

const ADDRESS = '/metrics?focus=2026-03-02T18:00:00Z~2026-03-02T18:40:00Z';
const plot: PlotAnswer = {
  name: 'queue.depth',
  unit: '{request}',
  aggregate: 'avg',
  from: '2026-03-02T17:40:00.000Z',
  step: 1200,
  lines: [{ labels: {}, members: 4, values: [2, 30, 31] }],
  more: 0,
  exemplars: [],
  moved: {
    side: 'above',
    onset: '2026-03-02T18:02:00Z',
    within: 60,
    end: '2026-03-02T18:40:00Z',
    goesOn: true,
    value: 30,
    usual: 2,
    spreads: 20,
  },
};
const depth = plotOf({ of: 'metric', metric: 'queue.depth', where: { service: ['nest'] } });

const shown = (address: string, own: Partial<PlotAnswer> = {}) => {
  const asked = answerWith({
    datasets: [],
    cases: [{ id: 4, name: 'night', status: 'open' }],
    'cases/4/pins': [],
    'metrics/plot': { ...plot, ...own },
    'metrics/find': {
      metrics: [
        { name: 'lease.operations', about: 'lease-store, /s', source: { of: 'metric', metric: 'ops' } },
      ],
      requests: [],
      patterns: [],
    },
    'changes/search': { changes: [], total: 0, actions: [] },
    'onsets/search': {
      groups: [onsetGroup('lease-store', 2)],
      origins: [],
      changes: [],
      depends: [],
      scanned: 400,
    },
  });
  renderAt(address, <MetricsView />);
  return asked;
};
const withDepth = `${ADDRESS}&plots=${encodeURIComponent(plotsText([depth]))}`;
const address = (): string => screen.getByTestId('address').textContent;

describe('the view of Metrics', () => {
  it('begins with how requests went, around the focus', async () => {
    const asked = shown(ADDRESS);
    expect(await screen.findAllByTestId('plot')).toHaveLength(3);
    const plots = asked.filter(({ path }) => path.startsWith('metrics/plot')).map(({ body }) => body);
    expect(plots).toHaveLength(3);
    expect(plots[0]).toMatchObject({
      source: { of: 'requests', figure: 'failed' },
      lead: 1200,
      normal: true,
    });
  });

  it('says what is to be seen in a plot, and shows it as a table', async () => {
    shown(withDepth);
    const [own] = await screen.findAllByTestId('plot');
    await waitFor(() =>
      expect(within(own!).getByTestId('plot-finding')).toHaveTextContent(
        /^15 times, from \d\d:02 on: 30, usual 2\.$/,
      ),
    );
    expect(own).toHaveTextContent('nest');
    expect(within(own!).queryByRole('table')).not.toBeInTheDocument();
    const table = within(own!).getByRole<HTMLDetailsElement>('group', { hidden: true });
    table.open = true;
    fireEvent(table, new Event('toggle'));
    const rows = within(own!).getAllByRole('row', { hidden: true });
    expect(rows.map(({ textContent }) => textContent?.replace(/^.*:\d\d/, ''))).toEqual([
      expect.stringContaining('queue.depth {request}'),
      '2',
      '30',
      '31',
    ]);
  });

  it('lays a day ago behind it, and keeps that in the address', async () => {
    const asked = shown(withDepth);
    fireEvent.click(await screen.findByRole('button', { name: 'a day ago' }));
    await waitFor(() => expect(address()).toContain('"ghosts":["day"]'));
    await waitFor(() =>
      expect(asked.filter(({ path }) => path.startsWith('metrics/plot')).at(-1)!.body).toMatchObject({
        ghosts: ['day'],
      }),
    );
  });

  it('lights one of several lines', async () => {
    shown(withDepth, {
      lines: ['nest-1', 'nest-2'].map((instance) => ({
        labels: { instance },
        members: 1,
        values: [1, 2, 3],
      })),
    });
    const one = await screen.findByRole('button', { name: 'nest-2' });
    expect(one).toHaveAttribute('aria-pressed', 'false');
    fireEvent.click(one);
    expect(one).toHaveAttribute('aria-pressed', 'true');
    fireEvent.click(one);
    expect(one).toHaveAttribute('aria-pressed', 'false');
  });

  it('finds series by words, and draws one in a plot of its own or over another', async () => {
    const asked = shown(withDepth);
    fireEvent.change(await screen.findByTestId('find-series'), { target: { value: 'lease' } });
    fireEvent.click(await screen.findByRole('button', { name: 'lease.operations' }));
    await waitFor(() => expect(screen.getAllByTestId('plot')).toHaveLength(2));
    expect(address()).toContain('"metric":"ops"');
    // What is drawn there already is not drawn twice.
    const lay = screen.getByRole('button', { name: 'lay lease.operations over the chosen plot' });
    fireEvent.click(lay);
    expect(address().match(/"metric":"ops"/g)).toHaveLength(1);
    const [first] = await screen.findAllByRole('button', { name: 'queue.depth' });
    fireEvent.click(first!);
    fireEvent.click(lay);
    await waitFor(() => expect(address().match(/"metric":"ops"/g)).toHaveLength(2));
    expect(await screen.findByText(/queue\.depth: 15 times.*queue\.depth: 15 times/)).toBeInTheDocument();
    expect(asked.find(({ path }) => path.startsWith('metrics/find'))!.body).toMatchObject({
      query: 'lease',
    });
  });

  it('offers what moved in the focus, and any expression', async () => {
    shown(withDepth);
    expect(await screen.findByRole('button', { name: 'operations' })).toBeInTheDocument();
    expect(screen.getByText(/lease-store · .* · 10 times/)).toBeInTheDocument();
    fireEvent.change(screen.getByTestId('find-series'), { target: { value: 'level = error' } });
    fireEvent.click(await screen.findByRole('button', { name: 'level = error' }));
    await waitFor(() => expect(address()).toContain('"expression":"level+=+error"'));
  });

  it('takes plots away until none is left', async () => {
    shown(withDepth);
    await screen.findByText(/15 times/);
    fireEvent.click(screen.getByRole('button', { name: 'More of queue.depth' }));
    fireEvent.click(await screen.findByRole('menuitem', { name: 'remove this plot' }));
    expect(await screen.findByText('No plot')).toBeInTheDocument();
  });

  it('pins a plot with what it says', async () => {
    const asked = shown(withDepth);
    await screen.findByText(/15 times/);
    fireEvent.click(screen.getByRole('button', { name: 'More of queue.depth' }));
    fireEvent.click(await screen.findByRole('menuitem', { name: 'pin it, with this view' }));
    const pinned = () => asked.find(({ method, path }) => method === 'POST' && path.includes('pins'))?.body;
    await waitFor(() => expect(pinned()).toBeDefined());
    expect(pinned()).toMatchObject({ kind: 'chart', title: 'queue.depth' });
    expect((pinned() as { seen: { finding: string } }).seen.finding).toContain('15 times');
  });

  it('says how to begin', () => {
    shown('/metrics');
    expect(screen.getByText(/Draw the bad time on the timeband/)).toBeInTheDocument();
  });
});
