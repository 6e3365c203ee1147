import { labelled, readNotes } from './label.js';

const notes = (...all: [statement: string, text: string][]) =>
  readNotes(Buffer.from(all.map(([statement, text]) => `${statement}\u001f${text}\u001e`).join('')));

describe('the statement of a line', () => {
  it('is the innermost that formatted its end, and no wrapper', () => {
    const found = labelled(
      ['12:00 LOG: gate 4 opened', 'never noted'],
      notes(
        ['gate %d opened', 'gate 4 opened'],
        ['%s', 'gate 4 opened'],
        ['%s LOG: %s\n', '12:00 LOG: gate 4 opened\n'],
        ['opened', 'opened'],
      ),
    );
    expect(found).toEqual([{ line: '12:00 LOG: gate 4 opened', statement: 'gate %d opened', opens: true }]);
  });

  it('is what a statement says itself, even where it ends with what another made', () => {
    const found = labelled(
      ['cannot open the gate: rope 7 torn'],
      notes(
        ['rope %d torn', 'rope 7 torn'],
        ['cannot open the gate: %s', 'cannot open the gate: rope 7 torn'],
      ),
    );
    expect(found.map(({ statement }) => statement)).toEqual(['cannot open the gate: %s']);
  });

  it('is that of all lines of a record', () => {
    const found = labelled(
      ['gate broke', '  at hinge', '  at post', 'gate mended'],
      notes(['gates.py:4', 'gate broke\n  at hinge\n  at post'], ['gates.py:9', 'gate mended']),
    );
    expect(found.map(({ statement, opens }) => [statement, opens])).toEqual([
      ['gates.py:4', true],
      ['gates.py:4', false],
      ['gates.py:4', false],
      ['gates.py:9', true],
    ]);
  });

  it('is unknown where only wrappers were noted', () => {
    expect(labelled(['gate 4'], notes(['%s', 'gate 4'], ['%d: %s', '1: gate 4']))).toEqual([]);
  });
});
