import type { OnsetGroupBody, OnsetsSearchAnswer } from '@flail/contract';
import { fireEvent, screen, within } from '@testing-library/react';
import { answerWith } from '../testing/answers.js';
import { onsetGroup } from '../testing/moved.js';
import { renderAt } from '../testing/render.js';
import { OnsetsView } from './OnsetsView.js';

const FOCUS = 'focus=2026-03-02T18:00:00Z~2026-03-02T18:40:00Z';
const group = (service: string, minute: number, more: Partial<OnsetGroupBody> = {}): OnsetGroupBody => {
  const own = onsetGroup(service, minute);
  return { ...own, members: [{ ...own, member: `${service}-1` }], ...more };
};
const answer: OnsetsSearchAnswer = {
  groups: [
    group('store', 1),
    group('nest', 4, { kind: 'volume', measure: 'berth taken', pattern: 'k7f3q', goesOn: true }),
  ],
  origins: [
    { group: 0, role: 'likely origin', reasons: [{ for: true, text: 'nothing moved before it' }] },
    {
      group: 1,
      role: 'consequence',
      reasons: [{ for: false, text: 'it depends on store, which moved earlier' }],
    },
  ],
  changes: [
    {
      id: 'c1',
      time: '2026-03-02T18:00:30Z',
      title: 'pool: 20 → 2',
      service: 'store',
      kind: 'configuration',
    },
  ],
  depends: [[1, 0]],
  scanned: 422,
};
const shown = (told: OnsetsSearchAnswer, more = '') => {
  const asked = answerWith({ 'onsets/search': told, datasets: [], 'metrics/plot': { lines: [] } });
  renderAt(`/onsets?${FOCUS}${more}`, <OnsetsView />);
  return asked;
};

describe('the view of onsets', () => {
  it('asks for a stretch of time first', () => {
    answerWith({ datasets: [] });
    renderAt('/onsets', <OnsetsView />);
    expect(screen.getByText(/Draw the bad time on the timeband/)).toBeInTheDocument();
  });

  it('has a row for each in the order in which they began, and tells where it may have begun', async () => {
    shown(answer);
    const rows = await screen.findAllByTestId('onset');
    expect(rows.map((row) => row.getAttribute('aria-label'))).toEqual([
      expect.stringMatching(/:01 store, operations, load, 10 times$/),
      expect.stringMatching(/:04 nest, berth taken, volume, 10 times$/),
    ]);
    const beside = screen.getByTestId('origins');
    expect(beside).toHaveTextContent('1. store, operations');
    expect(beside).toHaveTextContent('may be the origin');
    expect(beside).toHaveTextContent('for nothing moved before it');
    expect(beside).toHaveTextContent('against it depends on store, which moved earlier');
    expect(beside).toHaveTextContent('pool: 20 → 2');
    expect(beside).toHaveTextContent('A candidate is no proof');
  });

  it('goes through the rows by keys, and from a row on with what is looked at', async () => {
    shown(answer);
    await screen.findAllByTestId('onset');
    fireEvent.keyDown(window, { key: 'j' });
    fireEvent.keyDown(window, { key: 'j' });
    const beside = screen.getByTestId('origins');
    expect(within(beside).getByRole('heading', { name: 'nest, berth taken' })).toBeInTheDocument();
    expect(beside).toHaveTextContent('give or take a minute, and it goes on');
    expect(within(beside).queryByRole('table')).toBeNull();
    fireEvent.click(within(beside).getByRole('button', { name: 'its lines' }));
    expect(screen.getByTestId('address')).toHaveTextContent(/^\/logs\?.*scope=pattern\+k7f3q/);
  });

  it('has the members of a measure, and lays it out in Metrics', async () => {
    shown(answer, '&row=0');
    const beside = await screen.findByTestId('origins');
    expect(within(beside).getByRole('row')).toHaveTextContent('store-1');
    fireEvent.keyDown(window, { key: 'Escape' });
    expect(beside).toHaveTextContent('Where it may have begun');
    fireEvent.click(screen.getAllByTestId('onset')[0]!);
    fireEvent.click(within(beside).getByRole('button', { name: 'what moved with it' }));
    expect(screen.getByTestId('address')).toHaveTextContent(/^\/metrics\?.*side=with/);
  });

  it('says so where nothing moved', async () => {
    shown({ groups: [], origins: [], changes: [], depends: [], scanned: 422 });
    expect(await screen.findByText('A quiet time')).toBeInTheDocument();
    expect(screen.getByTestId('finding')).toHaveTextContent('of 422 series looked at');
  });
});
