import type { DatasetSummary } from '@flail/contract';
import { screen, waitFor } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { answerWith } from '../testing/answers.js';
import { renderAt } from '../testing/render.js';
import { DatasetMenu } from './DatasetMenu.js';
import ForgetDataset from './ForgetDataset.js';
import ReplayBar from './ReplayBar.js';
import SaveBundle from './SaveBundle.js';

const window = { from: '2026-03-02T17:00:00Z', to: '2026-03-02T19:00:00Z' };
const live: DatasetSummary = {
  id: 'live',
  name: 'Live',
  records: 5000,
  spans: 0,
  view: '',
  live: true,
  ready: true,
  window,
};
const night: DatasetSummary = {
  ...live,
  id: 'night-3',
  name: 'Harbour night',
  records: 70,
  spans: 0,
  live: false,
  view: 'scope=x&order=rare',
};

describe('the menu of data sets', () => {
  it('goes to a kept one with what it was kept for, and says what is being opened', async () => {
    answerWith({ datasets: [live, night, { ...night, id: 'day-4', name: 'Day', ready: false }] });
    renderAt('/logs?focus=a~b&scope=old', <DatasetMenu onOpenBundle={() => undefined} />);
    await userEvent.click(await screen.findByRole('button', { name: 'Data set: Live' }));
    expect(await screen.findByText(/being opened/)).toBeInTheDocument();
    await userEvent.click(screen.getByText('Harbour night'));
    expect(screen.getByTestId('address')).toHaveTextContent('/logs?scope=x&data=night-3');
  });
});

describe('playing back', () => {
  it('begins at the beginning, and only for what is kept', async () => {
    const asked = answerWith({ datasets: [live, night] });
    renderAt('/logs?data=night-3', <ReplayBar />);
    await userEvent.click(await screen.findByRole('button', { name: 'play it back as it happened' }));
    await waitFor(() =>
      expect(asked).toContainEqual({
        method: 'PUT',
        path: 'datasets/night-3/replay',
        body: { playing: true, speed: 60, position: '2026-03-02T17:00:00.000Z' },
      }),
    );
  });

  it('pauses, changes its speed, goes back and ends', async () => {
    const replay = { playing: true, speed: 60, position: '2026-03-02T18:00:00Z' };
    const asked = answerWith({ datasets: [live, { ...night, replay }] });
    renderAt('/logs?data=night-3', <ReplayBar />);
    await userEvent.click(await screen.findByRole('button', { name: 'Pause' }));
    await userEvent.click(screen.getByText('×600'));
    await userEvent.click(screen.getByRole('button', { name: 'From the beginning' }));
    await userEvent.click(screen.getByRole('button', { name: 'show all' }));
    const told = asked
      .filter(({ path }) => path.includes('replay'))
      .map(({ method, body }) => [method, body]);
    expect(told).toEqual([
      ['PUT', { playing: false }],
      ['PUT', { speed: 600 }],
      ['PUT', { position: '2026-03-02T17:00:00.000Z' }],
      ['DELETE', undefined],
    ]);
  });

  it('is not offered for the live data set', async () => {
    const asked = answerWith({ datasets: [live] });
    renderAt('/logs', <ReplayBar />);
    await waitFor(() => expect(asked.some(({ path }) => path.startsWith('datasets'))).toBe(true));
    expect(screen.queryByRole('region', { name: 'Replay' })).toBeNull();
  });
});

describe('keeping and letting go', () => {
  it('saves both windows with what they are looked at with, or all', async () => {
    answerWith({});
    renderAt(
      '/logs?focus=2026-03-02T18:00:00Z~2026-03-02T18:30:00Z&scope=x&record=7',
      <SaveBundle dataset={live} onClose={() => undefined} />,
    );
    const save = screen.getByTestId('save-bundle');
    const address = (): URL => new URL(save.getAttribute('href')!, 'http://local');
    expect(address().pathname).toBe('/api/v1/datasets/live/bundle');
    expect(address().searchParams.get('from')).toBe('2026-03-02T17:30:00.000Z');
    expect(address().searchParams.get('to')).toBe('2026-03-02T18:30:00.000Z');
    expect(address().searchParams.get('view')).toMatch(/focus=.*scope=x$/);
    await userEvent.click(screen.getByRole('radio', { name: /All that is held/ }));
    expect(address().searchParams.has('from')).toBe(false);
  });

  it('says what will be lost before it lets go', async () => {
    const asked = answerWith({ 'DELETE datasets': undefined });
    let forgotten = false;
    renderAt(
      '/logs',
      <ForgetDataset dataset={night} onClose={() => undefined} onForgotten={() => (forgotten = true)} />,
    );
    expect(screen.getByText(/70 records/)).toBeVisible();
    expect(asked).toEqual([]);
    await userEvent.click(screen.getByRole('button', { name: 'Let go of it' }));
    await waitFor(() => expect(forgotten).toBe(true));
    expect(asked[0]).toEqual({ method: 'DELETE', path: 'datasets/night-3', body: undefined });
  });
});
