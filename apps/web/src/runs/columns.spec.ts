import type { RunBody } from '@flail/contract';
import { runBody } from '../testing/runs.js';
import { chosenOf, columnsOf, namesOf, rowsOf } from './columns.js';

const run = (id: string, more: Partial<RunBody> = {}): RunBody =>
  runBody({ id, parameters: { port: 'tarn' }, ...more });
const END = Date.parse('2026-03-02T19:00:00Z');

describe('columns of the list of runs', () => {
  it('are those of every run and one for each parameter', () => {
    const all = columnsOf([run('a'), run('b', { parameters: { region: 'west' } })]);
    expect(all.map(({ id }) => id)).toEqual(
      expect.arrayContaining(['parameter:port', 'parameter:region', 'error']),
    );
    const [row] = rowsOf([run('a', { usage: { memoryBytes: 2e6, recordsIn: 1200 } })], new Set(), END);
    const texts = Object.fromEntries(all.map(({ id, text }) => [id, text(row!)]));
    expect(texts).toMatchObject({
      took: '20 s',
      in: '1.2k',
      'parameter:port': 'tarn',
      'parameter:region': '',
    });
  });

  it('stand in the address only where they are not those shown to begin with', () => {
    const all = columnsOf([run('a')]);
    const usual = chosenOf(all, '').map(({ id }) => id);
    expect(usual).toContain('took');
    expect(namesOf(usual)).toBe('');
    expect(namesOf(['job', 'error'])).toBe('job,error');
    expect(chosenOf(all, 'job,error,gone').map(({ id }) => id)).toEqual(['job', 'error']);
  });
});

describe('rows of runs', () => {
  it('stand beneath the run that started them, where that is listed', () => {
    const child = run('b', { parent: { id: 'a', job: 'all exports' } });
    const orphan = run('c', { parent: { id: 'gone', job: 'all exports' } });
    const rows = rowsOf([run('a'), child, orphan], new Set(['c']), END);
    expect(rows.map((row) => row.run.id)).toEqual(['a', 'c']);
    expect(rows[0]!.children.map((row) => row.run.id)).toEqual(['b']);
    expect(rows[1]!.stuck).toBe(true);
  });

  it('take up to the end of what is looked at while they are under way', () => {
    const going = run('a', { state: 'running' });
    delete going.to;
    expect(rowsOf([going], new Set(), END)[0]!.took).toBe(3_600_000);
  });
});
