import type { TopologyAnswer } from '@flail/contract';
import { fireEvent, screen, within } from '@testing-library/react';
import { answerWith } from '../testing/answers.js';
import { callsOf as call } from '../testing/calls.js';
import { changeAt } from '../testing/moved.js';
import { renderAt } from '../testing/render.js';
import { MapView } from './MapView.js';

const topology: TopologyAnswer = {
  entities: [
    { service: 'nest', instance: 'nest-1', host: 'cliff-1', site: 'north', records: 1200 },
    { service: 'nest', instance: 'nest-2', host: 'cliff-2', records: 900 },
    { service: 'gull', instance: 'gull-1', host: 'cliff-1', records: 50 },
  ],
  calls: [call('gull', 'nest', 200, 50), call('nest', 'tide-store', 180)],
};

const shown = (address = '/map?focus=2026-03-02T18:00:00Z~2026-03-02T18:40:00Z', own = topology) => {
  const asked = answerWith({
    datasets: [],
    'topology/search': own,
    'runs/search': { runs: [{ job: 'ring-count', entity: { service: 'gull' }, state: 'done' }] },
    'changes/search': {
      changes: [changeAt('depth', 5), changeAt('other', 6, { entity: { service: 'gull' } })],
      total: 2,
      actions: [],
    },
    'requests/way': {
      looked: 50,
      of: 50,
      calls: [{ from: 'gull', to: 'nest', requests: 50, failed: 45 }],
    },
  });
  renderAt(address, <MapView />);
  return asked;
};

describe('the map', () => {
  it('draws who calls whom with what fails, and jobs beside', async () => {
    shown();
    expect(await screen.findByTestId('finding')).toHaveTextContent(
      'One kind of call fails; the last on their way is gull → nest: 25% fail',
    );
    const nest = screen.getByRole('button', { name: 'nest' });
    expect(nest).toHaveTextContent('200, 25% failed');
    expect(screen.getByRole('button', { name: 'tide-store' })).toHaveTextContent('180, 0% failed');
    expect(screen.getByRole('button', { name: 'gull' })).toHaveTextContent('1, 0% failed');
    expect(screen.getByRole('button', { name: 'ring-count' })).toHaveTextContent('job');
  });

  it('tells of one: who asks it, whom it asks, its instances with their neighbours, its changes', async () => {
    shown();
    fireEvent.click(await screen.findByRole('button', { name: 'nest' }));
    const panel = await screen.findByTestId('chosen');
    expect(panel).toHaveTextContent(/Asked by.*gull.*200.*25% failed.*Asks.*tide-store.*180/);
    expect(panel).toHaveTextContent('2 instances');
    expect(panel).toHaveTextContent('nest-1 cliff-1, north; 1.2k records; beside gull-1');
    expect(panel).toHaveTextContent(/nest-2 cliff-2; 900 records(?!; beside)/);
    expect(await within(panel).findByText(/pool depth/)).toBeInTheDocument();
    expect(panel).not.toHaveTextContent('pool other');
    fireEvent.keyDown(window, { key: 'Escape' });
    expect(screen.queryByTestId('chosen')).toBeNull();
  });

  it('leads to the requests and lines of one, in the same windows', async () => {
    shown('/map?focus=2026-03-02T18:00:00Z~2026-03-02T18:40:00Z&node=nest');
    fireEvent.click(await screen.findByRole('button', { name: 'nest-2' }));
    expect(screen.getByTestId('address')).toHaveTextContent(
      /^\/requests\?focus=2026-03-02T18:00.*scope=instance\+=\+nest-2$/,
    );
  });

  it('is a table of callers and called as well', async () => {
    shown('/map?focus=2026-03-02T18:00:00Z~2026-03-02T18:40:00Z&show=matrix');
    const rows = within(await screen.findByTestId('matrix')).getAllByRole('row');
    expect(rows.map((row) => row.textContent)).toEqual([
      expect.stringContaining('calls of'),
      'ring-count10%',
      'gull20025%',
      'nest1800%',
    ]);
    fireEvent.click(within(rows[2]!).getByRole('button', { name: 'gull' }));
    expect(await screen.findByTestId('chosen')).toHaveTextContent('One instance');
  });

  it('lights the way of the failing', async () => {
    shown('/map?focus=2026-03-02T18:00:00Z~2026-03-02T18:40:00Z&way=failed');
    expect(await screen.findByText(/The way of 50 failing requests/)).toHaveTextContent(
      'the last that fails on it is gull → nest, in 90% of them',
    );
    const lit = (name: string) => screen.getByRole('button', { name }).getAttribute('data-lit');
    expect([lit('gull'), lit('nest'), lit('tide-store')]).toEqual(['true', 'true', 'false']);
  });

  it('says how to begin, and where nothing calls', () => {
    shown('/map');
    expect(screen.getByText(/Draw a stretch of time/)).toBeInTheDocument();
  });

  it('says where no span calls another', async () => {
    answerWith({
      datasets: [],
      'topology/search': { entities: [], calls: [] },
      'runs/search': { runs: [] },
    });
    renderAt('/map?focus=2026-03-02T18:00:00Z~2026-03-02T18:40:00Z', <MapView />);
    expect(await screen.findByText('No calls here')).toBeInTheDocument();
  });
});
