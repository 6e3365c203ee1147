import type { LogRecord, LogsSearchAnswer, SearchNews } from '@flail/contract';
import { act, screen } from '@testing-library/react';
import { renderAt } from '../testing/render.js';
import { answerTelling } from '../testing/telling.js';
import { useLogs } from './useLogs.js';

const body = {
  dataset: 'live',
  window: { from: '2026-03-02T18:00:00Z', to: '2026-03-02T18:40:00Z' },
  scope: 'weight > 9',
};
const record = (id: string): LogRecord => ({ id }) as LogRecord;

function Probe() {
  const { records, soFar, progress, data } = useLogs(body, 'newest');
  return (
    <p data-testid="told">
      {records.map(({ id }) => id).join(' ')} | {soFar ? `${soFar.matched} so far` : 'all'} |{' '}
      {progress?.done ?? '-'} | {data ? 'answered' : 'open'}
    </p>
  );
}

describe('lines of a search that takes long', () => {
  it('are there as soon as they are certain, each once, and give way to the answer', async () => {
    const search = answerTelling('logs/search', { datasets: [] });
    const tell = (news: SearchNews | { answer: LogsSearchAnswer }) => search(news);
    renderAt('/logs', <Probe />);
    const told = await screen.findByTestId('told');
    await act(() => new Promise((resolve) => setTimeout(resolve, 20)));
    await tell({ done: 1, total: 40, matched: 1 });
    expect(told).toHaveTextContent('| all | 1 | open');
    await tell({ from: 0, records: [record('a')] });
    expect(told).toHaveTextContent('a | 1 so far | 1 | open');
    await tell({ done: 9, total: 40, matched: 3 });
    await tell({ from: 1, records: [record('b'), record('c')] });
    expect(told).toHaveTextContent('a b c | 3 so far | 9 | open');
    // A search that has to begin anew tells from the beginning on.
    await tell({ from: 0, records: [record('a')] });
    expect(told).toHaveTextContent(/^a \| 3 so far/);
    await tell({ answer: { records: ['a', 'b', 'c', 'd'].map(record), matched: 4 } });
    expect(told).toHaveTextContent('a b c d | all | - | answered');
  });
});
