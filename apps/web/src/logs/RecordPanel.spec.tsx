import type { LogRecord } from '@flail/contract';
import { screen } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { renderAt } from '../testing/render.js';
import { RecordPanel } from './RecordPanel.js';

const record: LogRecord = {
  id: '7',
  cursor: 'c7',
  time: '2026-03-02T18:00:00.250000Z',
  level: 'warn',
  service: 'berth-allocator',
  source: 'berth-allocator',
  text: 'token 17 rejected',
  slots: [[6, 8]],
  pattern: 'k7f3q',
  fields: { 'note text': 'two words', port: 'holm', run: 'r-7' },
  line: 'level=warn msg="token 17 rejected" port=holm',
};

describe('the panel of a record', () => {
  const told: string[] = [];
  const tell =
    (what: string) =>
    (...parts: unknown[]): void =>
      // A press hands over its event, which is of no account here.
      void told.push([what, ...parts.filter((part) => typeof part === 'string')].join(' '));
  const show = (): void =>
    void renderAt(
      '/logs',
      <RecordPanel
        record={record}
        onClose={tell('close')}
        onOnly={tell('only')}
        onWithout={tell('without')}
        onAround={tell('around')}
        onRegularity={tell('regularity')}
        onPin={tell('pin')}
        onAll={tell('all')}
      />,
    );
  beforeEach(() => told.splice(0));

  it('shows the text, every field, and the line as received', () => {
    show();
    const panel = screen.getByRole('complementary', { name: 'Record' });
    expect(panel).toHaveTextContent('token 17 rejected');
    expect(panel).toHaveTextContent('2026-03-02 18:00:00.250000 UTC');
    for (const name of ['level', 'service', 'source', 'port', 'note text'])
      expect(screen.getByText(name, { selector: 'dt' })).toBeVisible();
    expect(screen.getByText(record.line)).toBeVisible();
  });

  it('offers each value to narrow by, and what ties it to others', async () => {
    show();
    for (const name of [
      'Only port holm',
      'Without note text two words',
      'records around it',
      'all of its run',
      'pin',
    ])
      await userEvent.click(screen.getByRole('button', { name }));
    expect(told).toEqual([
      'only port = holm',
      'without note text = "two words"',
      'around',
      'all run r-7',
      'pin',
    ]);
    // A record of no request offers none.
    expect(screen.queryByRole('button', { name: 'all of its trace' })).toBeNull();
  });
});
