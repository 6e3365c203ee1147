import { screen } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { ApiError, problemOf } from '../api/client.js';
import { renderAt } from '../testing/render.js';
import { Failure, MissingNote, Nothing, Waiting } from './States.js';

const FOCUS = 'focus=2026-03-02T18:00:00.000Z~2026-03-02T18:10:00.000Z';

describe('nothing to show', () => {
  const count = (focus: number, anyTime: number, all: number) => ({
    focus,
    baseline: 0,
    anyTime,
    unscoped: { focus: all, baseline: 0 },
  });

  it('says that the scope is why, and drops it on a click', async () => {
    renderAt(`/logs?${FOCUS}&scope=x`, <Nothing count={count(0, 7, 1200)} />);
    expect(
      screen.getByText(
        'Without the scope there are 1,200 records in the focus; at other times 7 records match it.',
      ),
    ).toBeVisible();
    await userEvent.click(screen.getByRole('button', { name: 'drop the scope' }));
    expect(screen.getByTestId('address')).not.toHaveTextContent('scope');
  });

  it('says that the time is why, and widens it on a click', async () => {
    renderAt(`/logs?${FOCUS}`, <Nothing count={count(0, 7, 0)} />);
    expect(screen.getByText(/Nothing at all was recorded in the focus/)).toBeVisible();
    expect(screen.queryByRole('button', { name: 'drop the scope' })).toBeNull();
    await userEvent.click(screen.getByRole('button', { name: 'make the focus five times as long' }));
    expect(screen.getByTestId('address')).toHaveTextContent(
      'focus=2026-03-02T17:40:00.000Z~2026-03-02T18:30:00.000Z',
    );
  });

  it('says when no record at any time matches', () => {
    renderAt(`/logs?${FOCUS}&scope=x`, <Nothing count={count(0, 0, 1)} />);
    expect(
      screen.getByText(/Without the scope there are 1 record in the focus; no record at any time/),
    ).toBeVisible();
  });
});

describe('a failure', () => {
  it("shows the server's words, and tries again", async () => {
    let tries = 0;
    const error = new ApiError(
      400,
      problemOf(
        400,
        '{"title":"Odd","detail":"The window ends before it begins.","code":"x","status":400,"type":"t"}',
      ),
    );
    renderAt('/', <Failure error={error} onRetry={() => tries++} />);
    expect(screen.getByRole('alert')).toHaveTextContent('OddThe window ends before it begins.');
    await userEvent.click(screen.getByRole('button', { name: 'try again' }));
    expect(tries).toBe(1);
    expect(screen.getByRole('button', { name: 'copy the details' })).toBeVisible();
  });

  it('has words even when an answer makes no sense', () => {
    expect(problemOf(502, '<html>bad gateway</html>')).toMatchObject({
      status: 502,
      detail: '<html>bad gateway</html>',
    });
    expect(problemOf(500, '').detail).toContain('without a word');
  });
});

describe('waiting', () => {
  it('shows lines at once, and after a second a way to stop', async () => {
    let stopped = false;
    renderAt('/', <Waiting onCancel={() => (stopped = true)} />);
    expect(screen.getByRole('status', { name: 'Loading' })).toBeVisible();
    expect(screen.queryByRole('button', { name: 'stop' })).toBeNull();
    await userEvent.click(await screen.findByRole('button', { name: 'stop' }, { timeout: 3000 }));
    expect(stopped).toBe(true);
  });
});

describe('what a damaged store can not tell', () => {
  it('is said with its number, and nothing is where nothing is missing', () => {
    renderAt(
      '/logs',
      <MissingNote missing={{ segments: 1, records: 1200, reason: 'Stored blocks are damaged.' }} />,
    );
    expect(screen.getByText(/1,200 records are not counted here. Stored blocks are damaged./)).toBeVisible();
  });

  it('is nothing where the store is whole', () => {
    renderAt('/logs', <MissingNote missing={undefined} />);
    expect(screen.queryByText(/not counted here/)).toBeNull();
  });
});
