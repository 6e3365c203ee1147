import type { FormatPreview, SourceSummary } from '@flail/contract';
import { fireEvent, screen, waitFor } from '@testing-library/react';
import { renderAt } from '../testing/render.js';
import { sourcesFinding } from './finding.js';
import { SourcesView } from './SourcesView.js';

const source = (more: Partial<SourceSummary>): SourceSummary => ({
  name: 'heart',
  signal: 'logs',
  format: 'json',
  corrected: false,
  records: 1000,
  malformed: 0,
  bytes: 5000,
  lastSeen: new Date().toISOString(),
  window: { from: '2026-03-02T18:00:00Z', to: '2026-03-02T19:00:00Z' },
  rate: 0.4,
  levels: { error: 3, info: 900 },
  problems: [],
  warnings: [],
  ...more,
});

describe('the finding about sources', () => {
  it.each([
    [[source({})], '1 source sends; heart makes 100% of all bytes. Nothing is wrong with any of them.'],
    [
      [source({}), source({ signal: 'spans', bytes: 15_000 }), source({ name: 'lung', bytes: 0 })],
      '2 sources send; the spans of heart make 75% of all bytes. Nothing is wrong with any of them.',
    ],
    [
      [source({}), source({ name: 'lung', warnings: ['Silent for 9 min.'] })],
      '2 sources send; heart makes 50% of all bytes. Look at lung: Silent for 9 min.',
    ],
    [
      [source({ warnings: ['Ahead.'] }), source({ name: 'lung', warnings: ['Silent.'] })],
      '2 sources send; heart makes 50% of all bytes. Look at heart: Ahead. 1 other has something too.',
    ],
  ])('%#', (sources, sentence) => expect(sourcesFinding(sources)).toBe(sentence));
});

describe('the inventory', () => {
  const asked: { path: string; method: string; body: unknown }[] = [];
  const preview: FormatPreview = {
    format: 'json',
    read: 1,
    lines: [
      { line: '{"msg":"x"}', read: true, level: 'info', text: 'x', fields: { n: '1' } },
      { line: 'odd', read: false, level: 'unset', text: 'odd', fields: {} },
    ],
  };
  const sources = [
    source({ malformed: 20, problems: [{ message: 'Not readable as json.', count: 20, sample: 'odd' }] }),
    source({ name: 'lung', signal: 'spans', levels: {}, rate: 0 }),
  ];

  beforeEach(() => {
    asked.length = 0;
    global.fetch = ((path: string, init?: RequestInit) => {
      const body: unknown = typeof init?.body === 'string' ? JSON.parse(init.body) : undefined;
      asked.push({ path, method: init?.method ?? 'GET', body });
      const answer = path.includes('/preview') ? preview : path.includes('sources?') ? sources : [];
      return Promise.resolve({ ok: true, status: 200, text: () => Promise.resolve(JSON.stringify(answer)) });
    }) as unknown as typeof fetch;
  });

  it('lists who sends what, at which levels', async () => {
    renderAt('/sources', <SourcesView />);
    const rows = await screen.findAllByTestId('source');
    expect(rows).toHaveLength(2);
    expect(rows[0]!.textContent).toContain('JSON lines');
    expect(rows[0]!.textContent).toContain('2.0%');
    expect(rows[1]!.textContent).toContain('spans');
    expect(rows[1]!.textContent).toContain('none');
  });

  it('opens a source, shows its lines in another format, and saves that', async () => {
    renderAt('/sources', <SourcesView />);
    fireEvent.click(await screen.findByRole('button', { name: 'heart' }));
    expect(screen.getByTestId('address').textContent).toContain('source=logs/heart');
    expect(await screen.findByText(/1 of its newest 2 lines can be read as JSON lines/)).toBeTruthy();
    expect(screen.getByText('not so')).toBeTruthy();
    expect(screen.getByText(/20 lines: Not readable as json/)).toBeTruthy();
    fireEvent.click(screen.getByRole('combobox', { name: 'Format' }));
    fireEvent.click(await screen.findByRole('option', { name: 'syslog', hidden: true }));
    fireEvent.click(await screen.findByRole('button', { name: 'read it so from now on' }));
    await waitFor(() =>
      expect(asked).toContainEqual({
        path: '/api/v1/sources/heart/format?dataset=live',
        method: 'PUT',
        body: { format: 'syslog' },
      }),
    );
  });

  it('shows what lines of plain text open with, and where their text begins may be said', async () => {
    sources.splice(0, sources.length, source({ format: 'plain' }));
    Object.assign(preview, { format: 'plain', heads: [['process', 'time', 'mark']] });
    renderAt('/sources?source=logs/heart', <SourcesView />);
    const heads = await screen.findByRole('list', { name: 'What its lines open with' });
    expect(heads.textContent).toBe('Lines open with processtimemark, then the text.');
    fireEvent.click(screen.getByRole('button', { name: 'mark' }));
    fireEvent.click(await screen.findByRole('button', { name: 'read it so from now on' }));
    await waitFor(() =>
      expect(asked).toContainEqual({
        path: '/api/v1/sources/heart/format?dataset=live',
        method: 'PUT',
        body: { format: 'plain', heads: [['process', 'time']] },
      }),
    );
  });

  it('says how to send where nobody has', async () => {
    sources.length = 0;
    renderAt('/sources', <SourcesView />);
    expect(await screen.findByText('Nobody has sent anything yet')).toBeTruthy();
  });
});
