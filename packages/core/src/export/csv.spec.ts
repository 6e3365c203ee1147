import fc from 'fast-check';
import { csvLine, withoutGuard } from './csv.js';

/** Reads one line of CSV as of RFC 4180, written apart from what is tested. */
function cellsOf(line: string): string[] {
  const cells: string[] = [];
  let rest = line;
  for (;;) {
    const quoted = /^"((?:[^"]|"")*)"(,|\r\n)/s.exec(rest);
    const plain = quoted ?? /^([^",\r\n]*)(,|\r\n)/s.exec(rest);
    if (!plain) throw new Error(`no cell: ${JSON.stringify(rest)}`);
    cells.push(quoted ? quoted[1]!.replaceAll('""', '"') : plain[1]!);
    rest = rest.slice(plain[0].length);
    if (plain[2] === '\r\n') return cells;
  }
}

describe('a line of CSV', () => {
  it('is read back as it was, but for the apostrophe before what looks like a formula', () => {
    fc.assert(
      fc.property(
        fc.array(
          fc.oneof(
            fc.string(),
            fc.string({ unit: fc.constantFrom("'", ' ', '=', '-', '\uff1d', 'a', '\t') }),
          ),
          { minLength: 1, maxLength: 6 },
        ),
        (cells) => {
          const back = cellsOf(csvLine(cells));
          expect(back.map(withoutGuard)).toEqual(cells);
          for (const cell of back)
            expect(
              /^\s*[=+@\uff1d\uff0b\uff20]|^\s*[-\uff0d](?![\d.]+)/.test(cell) &&
                !/^[+-]?[\d.]+(?:e[+-]?\d+)?$/i.test(cell),
            ).toBe(false);
        },
      ),
    );
  });

  it.each([
    ['=cmd()', "'=cmd()"],
    ['+1+1', "'+1+1"],
    ['@sum', "'@sum"],
    ['-5', '-5'],
    ['+2.5e3', '+2.5e3'],
    ['a=b', 'a=b'],
    [' =1', "' =1"],
    ['\uff1d1+1', "'\uff1d1+1"],
    ["'=1", "''=1"],
    ["it's", "it's"],
  ])('%s becomes %s', (cell, written) => expect(csvLine([cell])).toBe(`${written}\r\n`));
});
