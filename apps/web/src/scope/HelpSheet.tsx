import { Modal } from '@mantine/core';
import classes from './scope.module.css';

const SHEET: [part: string, rows: [expression: string, meaning: string][]][] = [
  [
    'Text',
    [
      ['lease lost', 'both words, anywhere in the record'],
      ['"lease lost"', 'this phrase'],
      ['text ~ /token \\d+ rejected/', 'a regular expression; /…/i whatever the case'],
    ],
  ],
  [
    'Fields',
    [
      ['level >= warn', 'a level, or a number with its unit: 250ms, 2s, 10kB, 5%'],
      ['service in (first, second)', 'one of several'],
      ['route = "/v1/*"', 'a star stands for anything'],
      ['error.type is present', 'is present, is absent'],
      ['pattern k7f3q', 'the records of a pattern'],
    ],
  ],
  ['Together', [['level = error and not (host = nq-01 or "shutting down")', 'and, or, not, parentheses']]],
  [
    'Steps, for tables and charts',
    [
      ['then count by service every 1m', 'count, rate, share, distinct, sum, avg, min, max, p95 …'],
      ['then p95(duration) by route then sort p95(duration)', 'sort, top 10, where count > 5'],
    ],
  ],
];

/** The whole language on one sheet. */
const HelpSheet = ({ opened, onClose }: { opened: boolean; onClose: () => void }) => (
  <Modal opened={opened} onClose={onClose} title="How to write an expression" size="lg">
    {SHEET.map(([part, rows]) => (
      <section key={part}>
        <h3 className={classes.sheetPart}>{part}</h3>
        <dl className={classes.sheet}>
          {rows.map(([expression, meaning]) => (
            <div key={expression}>
              <dt>
                <code>{expression}</code>
              </dt>
              <dd>{meaning}</dd>
            </div>
          ))}
        </dl>
      </section>
    ))}
  </Modal>
);

export default HelpSheet;
