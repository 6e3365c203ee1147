import '@testing-library/jest-dom';
import type { SavedCohorts } from '@flail/contract';
import { fireEvent, screen, waitFor } from '@testing-library/react';
import { answerWith } from '../testing/answers.js';
import { renderAt } from '../testing/render.js';
import { KeptCohorts } from './KeptCohorts.js';

const kept: SavedCohorts = {
  id: 7,
  name: 'slow plans',
  parameters: 'first=slow&operation=plan',
  owner: 'operator',
  shared: true,
  at: '2026-03-02T18:00:00Z',
};

describe('cohorts that are kept', () => {
  const shown = () => {
    const asked = answerWith({ cohorts: [kept], 'POST cohorts': kept, 'DELETE cohorts/7': undefined });
    renderAt('/contrast?focus=a~b&first=failed&firstScope=site+%3D+north', <KeptCohorts />);
    fireEvent.click(screen.getByRole('button', { name: 'kept cohorts' }));
    return asked;
  };

  it('take the place of those that are told apart', async () => {
    shown();
    fireEvent.click(await screen.findByText('slow plans'));
    const address = screen.getByTestId('address');
    expect(address).toHaveTextContent('/contrast?focus=a~b&first=slow&operation=plan');
    expect(address).not.toHaveTextContent('firstScope');
  });

  it('are kept under a name, without the windows', async () => {
    const asked = shown();
    const box = await screen.findByLabelText('Name for these cohorts');
    fireEvent.change(box, { target: { value: ' northern ' } });
    fireEvent.click(screen.getByRole('checkbox', { hidden: true }));
    fireEvent.submit(box.closest('form')!);
    await waitFor(() =>
      expect(asked.find(({ method }) => method === 'POST')?.body).toEqual({
        name: 'northern',
        parameters: 'first=failed&firstScope=site+%3D+north',
        shared: true,
      }),
    );
  });

  it('are let go of', async () => {
    const asked = shown();
    fireEvent.click(await screen.findByRole('menuitem', { name: 'Let go of slow plans' }));
    await waitFor(() => expect(asked.some(({ method }) => method === 'DELETE')).toBe(true));
  });
});
