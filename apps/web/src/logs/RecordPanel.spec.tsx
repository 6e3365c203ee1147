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
  fields: { 'note text': 'two words', port: 'holm' },
  line: 'level=warn msg="token 17 rejected" port=holm',
};

describe('the panel of a record', () => {
  const show = (): void =>
    void renderAt(
      '/logs?scope=level+%3E%3D+info',
      <RecordPanel
        record={record}
        onClose={() => undefined}
        onOnly={() => undefined}
        onWithout={() => undefined}
      />,
    );

  it('shows the text, every field, and the line as received', () => {
    show();
    const panel = screen.getByRole('complementary', { name: 'Record' });
    expect(panel).toHaveTextContent('token 17 rejected');
    expect(panel).toHaveTextContent('2026-03-02 18:00:00.250000 UTC');
    for (const name of ['level', 'service', 'source', 'port', 'note text'])
      expect(screen.getByText(name, { selector: 'dt' })).toBeVisible();
    expect(screen.getByText(record.line)).toBeVisible();
  });

  it('narrows the scope by a value, and turns it round', async () => {
    show();
    await userEvent.click(screen.getByRole('button', { name: 'Only port holm' }));
    expect(screen.getByTestId('address')).toHaveTextContent('scope=level+>=+info+and+port+=+holm');
    await userEvent.click(screen.getByRole('button', { name: 'Without port holm' }));
    expect(screen.getByTestId('address')).toHaveTextContent('scope=level+>=+info+and+not+port+=+holm');
  });
});
