import type { FieldDifferenceBody } from '@flail/contract';
import { act, fireEvent, screen, waitFor, within } from '@testing-library/react';
import { answerWith } from '../testing/answers.js';
import { renderAt } from '../testing/render.js';
import { answerTelling } from '../testing/telling.js';
import type { Column } from './columns.js';
import { FieldsPanel } from './FieldsPanel.js';

const field = (
  name: string,
  values: [value: string, focus: number, baseline: number][],
): FieldDifferenceBody => ({
  field: name,
  focus: values.reduce((sum, [, count]) => sum + count, 0),
  baseline: values.reduce((sum, [, , count]) => sum + count, 0),
  distinct: values.length,
  identifier: false,
  divergence: 0.1,
  values: values.map(([value, focus, baseline]) => ({
    value,
    focus,
    baseline,
    lift: 2,
    interval: [1, 3],
    p: 0.001,
    significant: true,
  })),
});
const body = {
  window: { from: '2026-03-02T18:00:00Z', to: '2026-03-02T18:40:00Z' },
  baseline: { from: '2026-03-02T17:20:00Z', to: '2026-03-02T18:00:00Z' },
};
const names = (): (string | null)[] =>
  screen.getAllByTestId('field').map((one) => one.getAttribute('data-field'));
const show = (onColumns: (columns: Column[]) => void = () => undefined): void =>
  void renderAt('/logs', <FieldsPanel body={body} columns={[]} onColumns={onColumns} />);

describe('the panel of fields', () => {
  it('shows those counted so far while more are counted, and how far that is', async () => {
    const tell = answerTelling('logs/fields', { datasets: [] });
    show();
    await act(() => new Promise((resolve) => setTimeout(resolve, 20)));
    await tell({ done: 4, total: 160, fields: [field('port', [['tarn', 3, 1]])] });
    await waitFor(() => expect(names()).toEqual(['port']));
    expect(
      await screen.findByText(/^4 of 160 parts of the records/, {}, { timeout: 3000 }),
    ).toBeInTheDocument();
    await tell({
      answer: { fields: [field('route', [['/plan', 90, 2]]), field('port', [['tarn', 40, 30]])] },
    });
    await waitFor(() => expect(names()).toEqual(['route', 'port']));
    expect(screen.queryByTestId('long-wait')).not.toBeInTheDocument();
  });

  it('opens the one that differs most, others on demand; finds by name; makes columns', async () => {
    const columns: Column[][] = [];
    answerWith({
      datasets: [],
      'logs/fields': { fields: [field('route', [['/plan', 90, 2]]), field('port', [['tarn', 40, 30]])] },
    });
    show((own) => columns.push(own));
    await waitFor(() => expect(names()).toEqual(['route', 'port']));
    expect(screen.getByRole('button', { name: 'Only route /plan' })).toBeInTheDocument();
    expect(screen.queryByRole('button', { name: 'Only port tarn' })).not.toBeInTheDocument();
    fireEvent.click(screen.getByRole('button', { name: 'port' }));
    fireEvent.click(screen.getByRole('button', { name: 'Without port tarn' }));
    await waitFor(() => expect(screen.getByTestId('address')).toHaveTextContent('scope='));
    fireEvent.change(screen.getByRole('textbox', { name: 'Find a field' }), { target: { value: 'POR' } });
    expect(names()).toEqual(['port']);
    fireEvent.click(
      within(screen.getByTestId('field')).getByRole('button', { name: 'Show port as a column' }),
    );
    expect(columns).toEqual([[expect.objectContaining({ field: 'port' })]]);
    fireEvent.change(screen.getByRole('textbox', { name: 'Find a field' }), { target: { value: 'nosuch' } });
    expect(screen.getByText('No field of this name in the scope.')).toBeInTheDocument();
  });
});
