import { fireEvent, screen } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import type { Span } from '../context/view-state.js';
import { renderAt } from '../testing/render.js';
import { WindowText } from './WindowText.js';

const held: Span = { from: Date.UTC(2026, 2, 1), to: Date.UTC(2026, 2, 2, 18) };
const span: Span = { from: Date.UTC(2026, 2, 2, 17), to: Date.UTC(2026, 2, 2, 17, 40) };

describe('a window in words', () => {
  const show = (shown: Span | undefined): { changes: Span[] } => {
    const changes: Span[] = [];
    renderAt(
      '/',
      <WindowText kind="focus" span={shown} held={held} onChange={(change) => changes.push(change)} />,
    );
    return { changes };
  };

  it('is typed, and counts "last" from the end of what is held', async () => {
    const { changes } = show(span);
    await userEvent.click(screen.getByRole('button', { name: /^Focus: .*40 min/ }));
    const field = screen.getByRole('textbox', { name: 'Focus as text' });
    await userEvent.clear(field);
    await userEvent.type(field, 'last 15 min{Enter}');
    expect(changes).toEqual([{ from: held.to - 15 * 60_000, to: held.to }]);
    expect(screen.queryByRole('textbox')).toBeNull();
  });

  it('stays open with a word of help when it is not understood, and closes on Escape', async () => {
    const { changes } = show(span);
    await userEvent.click(screen.getByRole('button', { name: /^Focus/ }));
    const field = screen.getByRole('textbox');
    await userEvent.clear(field);
    await userEvent.type(field, 'soon{Enter}');
    expect(screen.getByText(/Not understood. Try:/)).toBeVisible();
    await userEvent.type(field, '{Escape}');
    expect(screen.queryByRole('textbox')).toBeNull();
    expect(changes).toEqual([]);
  });

  it('opens by the Enter key without submitting at once', () => {
    show(undefined);
    const button = screen.getByRole('button', { name: /^Focus: none/ });
    const went = fireEvent.keyDown(button, { key: 'Enter' });
    expect(went).toBe(false);
    expect(screen.getByRole('textbox')).toBeVisible();
  });
});
