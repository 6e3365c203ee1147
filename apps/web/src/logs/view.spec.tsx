import type { LogRecord, LogsSearchAnswer, LogsSearchBody } from '@flail/contract';
import { fireEvent, screen, waitFor, within } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { answerWith } from '../testing/answers.js';
import { layOut } from '../testing/layout.js';
import { renderAt } from '../testing/render.js';
import { LogsView } from './LogsView.js';

const ADDRESS = '/logs?focus=2026-03-02T18:00:00.000Z~2026-03-02T18:40:00.000Z';

const record = (at: number, own: Partial<LogRecord> = {}): LogRecord => {
  const second = String(at).padStart(2, '0');
  const text = `lease granted in ${at} ms`;
  return {
    id: `1.${at}`,
    cursor: `c${at}`,
    time: `2026-03-02T18:30:${second}.000000Z`,
    level: 'info',
    service: 'berth-allocator',
    source: 'berth-allocator',
    text,
    slots: [[17, 17 + String(at).length]],
    pattern: 'grant',
    fields: { berth: `tarn/${at}` },
    line: text,
    ...own,
  };
};
const answer: LogsSearchAnswer = {
  records: [record(9, { level: 'error', text: 'lease lost', slots: [], pattern: 'lost1' }), record(8)],
  matched: 1234,
};

describe('the view of Logs', () => {
  let takeBack: () => void;
  beforeEach(() => (takeBack = layOut(1000, 600)));
  afterEach(() => takeBack());

  const shown = (address = ADDRESS, search: (body: LogsSearchBody) => LogsSearchAnswer = () => answer) => {
    const asked = answerWith({
      datasets: [],
      cases: [{ id: 4, name: 'night', status: 'open' }],
      'cases/4/pins': [],
      'logs/count': { focus: 0, baseline: 0, unscoped: { focus: 900, baseline: 30 } },
      'logs/search': search,
    });
    renderAt(address, <LogsView />);
    return asked;
  };
  const lines = (): HTMLElement[] => screen.getAllByTestId('line');
  const address = (): string => screen.getByTestId('address').textContent;
  const searches = (asked: ReturnType<typeof shown>) => asked.filter(({ path }) => path === 'logs/search');

  it('asks for a focus where there is none', () => {
    answerWith({ datasets: [] });
    renderAt('/logs', <LogsView />);
    expect(screen.getByText(/Draw a stretch of time on the timeband above/)).toBeTruthy();
  });

  it('lists the newest, says how many there are, and asks anew for the oldest', async () => {
    const asked = shown();
    await waitFor(() => expect(lines()).toHaveLength(2));
    expect(screen.getByTestId('finding').textContent).toMatch(
      /^1,234 records in the focus; the newest is of/,
    );
    expect(lines()[0]).toHaveTextContent('lease lost');
    fireEvent.click(screen.getByRole('radio', { name: 'oldest first' }));
    await waitFor(() => expect(searches(asked).at(-1)!.body).toMatchObject({ order: 'oldest' }));
  });

  it('fetches the next page when the end is in sight, from where the last one ended', async () => {
    const asked = shown(ADDRESS, ({ cursor }) =>
      cursor === 'c8' ? { records: [record(7)], matched: 1234 } : { ...answer, cursor: 'c8' },
    );
    await waitFor(() => expect(lines()).toHaveLength(3));
    expect(lines()[2]).toHaveTextContent('lease granted in 7 ms');
    expect(searches(asked)).toHaveLength(2);
    expect(searches(asked)[0]!.body).not.toHaveProperty('cursor');
    expect(searches(asked)[1]!.body).toMatchObject({ cursor: 'c8', limit: 200 });
  });

  it('narrows by the pattern of a line, by key', async () => {
    shown();
    await waitFor(() => expect(lines()).toHaveLength(2));
    await userEvent.keyboard('j');
    await userEvent.keyboard('x');
    await waitFor(() => expect(address()).toContain('scope=not+pattern+lost1'));
  });

  it('opens a line with all its fields, keeps it in the address, and closes it by Escape', async () => {
    shown();
    await waitFor(() => expect(lines()).toHaveLength(2));
    fireEvent.click(lines()[1]!);
    await waitFor(() => expect(address()).toContain('record='));
    expect(lines()[1]).toHaveAttribute('data-selected', 'true');
    expect(screen.getByText('tarn/8')).toBeTruthy();
    await userEvent.keyboard('{Escape}');
    await waitFor(() => expect(address()).not.toContain('record='));
    expect(screen.queryByText('tarn/8')).toBeNull();
  });

  it('shows fields as columns, and wraps lines, as the address says', async () => {
    shown(`${ADDRESS}&cols=berth:120&wrap=on`);
    await waitFor(() => expect(lines()).toHaveLength(2));
    expect(within(lines()[1]!).getByTitle('tarn/8')).toBeTruthy();
    expect(lines()[1]).toHaveAttribute('data-wrap', 'true');
  });

  it('says where nothing fits', async () => {
    shown(`${ADDRESS}&scope=nowhere`, () => ({ records: [], matched: 0 }));
    expect((await screen.findByTestId('finding')).textContent).toBe('0 records match.');
    expect(screen.queryAllByTestId('line')).toEqual([]);
    expect(await screen.findByText(/900/)).toBeTruthy();
  });
});
