import type { ChangeBody, DatasetSummary, OnsetsSearchAnswer } from '@flail/contract';
import { fireEvent, screen, waitFor, within } from '@testing-library/react';
import { answerWith } from '../testing/answers.js';
import { changeAt } from '../testing/moved.js';
import { renderAt } from '../testing/render.js';
import { ChangesView } from './ChangesView.js';

const change = (id: string, minute: number, more: Partial<ChangeBody> = {}): ChangeBody =>
  changeAt(id, minute, { details: { key: 'pool', from: 20, to: 2, by: 'k.dunlin' }, ...more });
const restart = change('r', 2, { kind: 'restart', title: 'nest-1 restarted', details: {} });
const deployed = change('d', 10, {
  kind: 'deployment',
  title: 'gull 1.4.0 → 1.5.0',
  entity: { service: 'gull' },
  details: { by: 'm.tern' },
});
const onsets = {
  groups: [{ service: 'nest', measure: 'queue' }],
  origins: [],
  changes: [
    { id: 'c', time: '', title: '', service: 'nest', kind: 'configuration', then: { group: 0, seconds: 40 } },
  ],
  depends: [],
  scanned: 3,
} as unknown as OnsetsSearchAnswer;
const held: Partial<DatasetSummary> = {
  id: 'live',
  records: 10,
  window: { from: '2026-03-01T00:00:00Z', to: '2026-03-02T19:00:00Z' },
};

const shown = (changes: ChangeBody[], actions: 'revert'[] = []) => {
  const asked = answerWith({
    datasets: [held],
    'changes/search': { changes, total: changes.length, actions },
    'onsets/search': onsets,
    'POST changes/': undefined,
  });
  renderAt('/changes?focus=2026-03-02T18:00:00Z~2026-03-02T18:40:00Z', <ChangesView />);
  return asked;
};

describe('the view of changes', () => {
  it('lists them, the newest first, restarts with what brought them about, and what moved after', async () => {
    shown([change('c', 1), restart, deployed]);
    await waitFor(() => expect(screen.getAllByTestId('change')[1]).toHaveTextContent('nest, queue moved'));
    const rows = screen.getAllByTestId('change');
    expect(rows).toHaveLength(2);
    expect(rows[0]).toHaveTextContent(/gull 1\.4\.0 → 1\.5\.0.*m\.tern/);
    expect(rows[1]).toHaveTextContent(/pool c with a restart.*20 → 2.*k\.dunlin.*less than a minute before/);
  });

  it('are found by words and by kind', async () => {
    shown([change('c', 1), deployed]);
    await screen.findAllByTestId('change');
    fireEvent.change(screen.getByRole('textbox', { name: 'Find changes' }), { target: { value: 'DUNLIN' } });
    expect(screen.getByTestId('change')).toHaveTextContent('pool c');
    fireEvent.click(screen.getByRole('button', { name: /deployment 1/ }));
    expect(screen.getByText('No change has these words')).toBeInTheDocument();
    fireEvent.change(screen.getByRole('textbox', { name: 'Find changes' }), { target: { value: '' } });
    expect(screen.getByTestId('change')).toHaveTextContent('gull');
  });

  it('are told in full, with the difference, the focus around them, and as they came', async () => {
    shown([change('c', 1), restart]);
    await screen.findAllByTestId('change');
    fireEvent.keyDown(window, { key: 'j' });
    const full = screen.getByTestId('change-detail');
    expect(within(full).getByText('20').tagName).toBe('DEL');
    expect(within(full).getByText('2').tagName).toBe('INS');
    expect(full).toHaveTextContent('nest-1 restarted');
    fireEvent.click(within(full).getByRole('button', { name: 'as it was told' }));
    expect(full).toHaveTextContent('"by": "k.dunlin"');
    fireEvent.click(within(full).getByRole('button', { name: 'what moved after it' }));
    expect(screen.getByTestId('address')).toHaveTextContent(/^\/onsets\?.*focus=2026-03-02T17:51/);
  });

  it('are taken back only where a change control is, and after a question', async () => {
    const asked = shown([change('c', 1)], ['revert']);
    await screen.findAllByTestId('change');
    fireEvent.keyDown(window, { key: 'j' });
    fireEvent.click(screen.getByRole('button', { name: 'take it back' }));
    const question = await screen.findByRole('dialog', { name: 'Take the change back' });
    expect(question).toHaveTextContent('undo “pool c”');
    expect(asked.some(({ path }) => path.includes('revert'))).toBe(false);
    fireEvent.click(within(question).getByRole('button', { name: 'take it back' }));
    expect(await screen.findByText(/^The change control takes it back/)).toBeInTheDocument();
    expect(asked.filter(({ path }) => path.includes('revert'))).toHaveLength(1);
  });

  it('say so where nothing was changed', async () => {
    shown([]);
    expect(await screen.findByText('Nothing was changed')).toBeInTheDocument();
  });
});
