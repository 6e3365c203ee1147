import type { PatternsSearchAnswer } from '@flail/contract';
import { fireEvent, screen, waitFor, within } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { answerWith } from '../testing/answers.js';
import { layOut } from '../testing/layout.js';
import { patternRow, patternsAnswer } from '../testing/patterns.js';
import { renderAt } from '../testing/render.js';
import { PatternsView } from './PatternsView.js';

const ADDRESS = '/patterns?focus=2026-03-02T18:00:00.000Z~2026-03-02T18:40:00.000Z';
const rows = [
  patternRow('lost1', 'lease lost', { change: 'first seen', baseline: 0, earlier: 0, expected: 0 }),
  patternRow('slow2', 'apply took long'),
  patternRow('gone3', 'lease granted', { change: 'ceased', focus: 0, services: ['lock-store'] }),
];

describe('the view of Patterns', () => {
  let takeBack: () => void;
  beforeEach(() => (takeBack = layOut(1000, 600)));
  afterEach(() => takeBack());

  const shown = (address = ADDRESS, own: Partial<PatternsSearchAnswer> = {}) => {
    const asked = answerWith({
      datasets: [],
      cases: [{ id: 4, name: 'night', status: 'open' }],
      'cases/4/pins': [],
      'logs/count': { focus: 80, baseline: 30 },
      'patterns/search': patternsAnswer(rows, own),
      'POST marks': { id: 9 },
      'DELETE marks/9': undefined,
    });
    renderAt(address, <PatternsView />);
    return asked;
  };
  const sentences = (): string[] =>
    screen.getAllByTestId('pattern').map((row) => within(row).getByTitle('Look at it closely').textContent);
  const address = (): string => screen.getByTestId('address').textContent;

  it('asks for a focus where there is none', () => {
    answerWith({ datasets: [] });
    renderAt('/patterns', <PatternsView />);
    expect(screen.getByText(/Draw the bad time on the timeband/)).toBeTruthy();
  });

  it('lists them with counts and words, and asks anew for another order', async () => {
    const asked = shown();
    await waitFor(() => expect(sentences()).toEqual(['lease lost', 'apply took long', 'lease granted']));
    expect(screen.getByRole('checkbox', { name: 'Choose lease lost' })).toBeTruthy();
    expect(asked.find(({ path }) => path === 'patterns/search')!.body).toMatchObject({ order: 'surprise' });
    fireEvent.click(screen.getByRole('radio', { name: 'rare' }));
    await waitFor(() =>
      expect(asked.filter(({ path }) => path === 'patterns/search').at(-1)!.body).toMatchObject({
        order: 'rare',
        baseline: { from: '2026-03-02T17:20:00.000Z', to: '2026-03-02T18:00:00.000Z' },
      }),
    );
  });

  it('is narrowed by words and by how they changed, and says so when none is left', async () => {
    shown();
    await waitFor(() => expect(sentences()).toHaveLength(3));
    const search = screen.getByRole('textbox', { name: 'Find in patterns' });
    fireEvent.change(search, { target: { value: 'LEASE' } });
    await waitFor(() => expect(sentences()).toEqual(['lease lost', 'lease granted']));
    fireEvent.click(screen.getByRole('button', { name: /ceased/ }));
    await waitFor(() => expect(sentences()).toEqual(['lease granted']));
    fireEvent.change(search, { target: { value: 'nothing of it' } });
    expect(await screen.findByText(/None of 3 patterns fits/)).toBeTruthy();
    fireEvent.click(screen.getByRole('button', { name: 'show all' }));
    await waitFor(() => expect(sentences()).toHaveLength(3));
  });

  it('narrows the scope by a row, by key and by button', async () => {
    shown();
    await waitFor(() => expect(sentences()).toHaveLength(3));
    await userEvent.keyboard('jj');
    await userEvent.keyboard('x');
    await waitFor(() => expect(address()).toContain('scope=not+pattern+slow2'));
    fireEvent.click(within(screen.getAllByTestId('pattern')[0]!).getByRole('button', { name: 'only' }));
    await waitFor(() => expect(address()).toContain('pattern+lost1'));
  });

  it('mutes several at once, tells it, and takes it back', async () => {
    const asked = shown();
    await waitFor(() => expect(sentences()).toHaveLength(3));
    fireEvent.click(screen.getByRole('checkbox', { name: 'Choose lease lost' }));
    fireEvent.click(screen.getByRole('checkbox', { name: 'Choose lease granted' }));
    const bar = screen.getByRole('toolbar', { name: 'What to do with those chosen' });
    expect(bar.textContent).toContain('2 patterns chosen');
    fireEvent.click(within(bar).getByRole('button', { name: 'mute' }));
    expect((await screen.findByTestId('note')).textContent).toContain('2 patterns muted.');
    const marked = asked.filter(({ method, path }) => method === 'POST' && path.startsWith('marks'));
    expect(marked.map(({ body }) => body)).toMatchObject([
      { kind: 'muted', pattern: 'lost1' },
      { kind: 'muted', pattern: 'gone3' },
    ]);
    fireEvent.click(screen.getByRole('button', { name: 'undo' }));
    await waitFor(() => expect(asked.filter(({ method }) => method === 'DELETE')).toHaveLength(2));
    await waitFor(() => expect(screen.queryByTestId('note')).toBeNull());
  });

  it('tells what marks hide', async () => {
    shown(ADDRESS, { muted: { patterns: 2, focus: 20 } });
    expect((await screen.findByTestId('note')).textContent).toContain('2 patterns hidden, 20% of the lines.');
  });
});
