import type { Pin } from '@flail/contract';
import { screen, waitFor } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { answerWith } from '../testing/answers.js';
import { renderAt } from '../testing/render.js';
import { PinTray } from './PinTray.js';

const pin: Pin = {
  id: 4,
  kind: 'line',
  title: 'token rejected',
  address: '/logs?scope=x&record=7',
  note: '',
  at: '2026-03-02T18:00:00Z',
};

describe('the pin tray', () => {
  const show = (pins: Pin[] = [pin]) => {
    const asked = answerWith({
      cases: [{ id: 1, name: 'Untitled', at: pin.at, pins: 1 }],
      'cases/1/pins': pins,
    });
    renderAt('/patterns?focus=2026-03-02T18:00:00Z~2026-03-02T18:30:00Z&order=rare', <PinTray />);
    return asked;
  };

  it('is a strip with a count until it is opened; a pin returns to its exact view', async () => {
    show();
    await userEvent.click(await screen.findByRole('button', { name: 'Pins: 1. Show them.' }));
    await userEvent.click(screen.getByRole('button', { name: 'token rejected' }));
    expect(screen.getByTestId('address')).toHaveTextContent('/logs?scope=x&record=7');
  });

  it('keeps notes, the name of the case, and the view as it stands', async () => {
    const asked = show();
    await userEvent.click(await screen.findByRole('button', { name: /^Pins/ }));
    await userEvent.type(screen.getByLabelText('Note on token rejected'), 'the rare one');
    await userEvent.clear(screen.getByLabelText('Name of the case'));
    await userEvent.type(screen.getByLabelText('Name of the case'), 'Leases');
    await userEvent.click(screen.getByRole('button', { name: 'pin this view with its windows' }));
    await userEvent.click(screen.getByRole('button', { name: 'take off' }));
    const told = (): unknown[] =>
      asked.filter(({ method }) => method !== 'GET').map(({ method, path, body }) => [method, path, body]);
    await waitFor(() => expect(told()).toHaveLength(4));
    expect(told()).toEqual([
      ['PUT', 'cases/1/pins/4', { note: 'the rare one' }],
      ['PUT', 'cases/1', { name: 'Leases' }],
      [
        'POST',
        'cases/1/pins',
        expect.objectContaining({ kind: 'window', address: expect.stringContaining('order=rare') as string }),
      ],
      ['DELETE', 'cases/1/pins/4', undefined],
    ]);
  });

  it('says how to pin where nothing is', async () => {
    show([]);
    await userEvent.click(await screen.findByRole('button', { name: /^Pins: 0/ }));
    expect(screen.getByText(/Nothing is pinned yet/)).toBeVisible();
  });
});
