import type { LogRecord } from '@flail/contract';
import { render, screen } from '@testing-library/react';
import { LineText } from './LineText.js';

const record = (text: string, slots: [number, number][]): LogRecord => ({
  id: '1',
  cursor: 'c1',
  time: '2026-03-02T18:00:00Z',
  level: 'info',
  service: 'a',
  source: 's',
  pattern: 'p',
  fields: {},
  line: text,
  text,
  slots,
});

describe('the text of a line', () => {
  it('shows markup as text', () => {
    const hostile = '<img src=x onerror=alert(1)> <b>5</b>';
    const { container } = render(<LineText record={record(hostile, [[32, 33]])} />);
    expect(container.textContent).toBe(hostile);
    expect(container.querySelector('img, b')).toBeNull();
  });

  it('is cut when it is very long, and whole on demand', () => {
    const long = record('x'.repeat(5000), []);
    const { rerender } = render(<LineText record={long} />);
    expect(screen.getByText(/^x+…$/).textContent).toHaveLength(601);
    rerender(<LineText record={long} whole />);
    expect(screen.getByText(/^x+$/).textContent).toHaveLength(5000);
  });
});
