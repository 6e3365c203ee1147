import type { DifferenceBody } from '@flail/contract';
import { memo } from 'react';
import { percent, plural } from '../format/numbers.js';
import { termText } from './sentences.js';
import classes from './contrast.module.css';

const WIDTH = 130;

/** What differs, one by one, with the share of each cohort and the interval of the difference. */
export function Differences({ rows }: { rows: readonly DifferenceBody[] }) {
  return (
    <table className={classes.differences}>
      <tbody>
        {rows.map((row) => (
          <Difference key={termText(row.term)} row={row} />
        ))}
      </tbody>
    </table>
  );
}

const Difference = memo(function Difference({ row }: { row: DifferenceBody }) {
  const own = row.failing / Math.max(1, row.failingAll);
  const other = row.healthy / Math.max(1, row.healthyAll);
  const [low, high] = [WIDTH * Math.max(0, row.low), WIDTH * row.high];
  return (
    <tr data-testid="difference">
      <td>
        {termText(row.term)}
        {row.with.length > 0 && (
          <details className={classes.with}>
            <summary>always with {plural(row.with.length, 'other')}</summary>
            {row.with.slice(0, 12).map((term) => (
              <p key={termText(term)}>{termText(term)}</p>
            ))}
          </details>
        )}
      </td>
      <td className={classes.bars}>
        <svg width={WIDTH} height={22} role="img" aria-label={`${percent(own)} against ${percent(other)}`}>
          <rect x={0} y={2} width={WIDTH * own} height={8} className={classes.fill} />
          <rect
            x={0.5}
            y={2.5}
            width={Math.max(0, WIDTH * other - 1)}
            height={7}
            className={classes.outline}
          />
          <path d={`M${low},16H${high}M${low},13v6M${high},13v6`} className={classes.whisker} />
        </svg>
      </td>
      <td className={classes.shares}>
        {percent(own)} <span className="soft">against {percent(other)}</span>
      </td>
    </tr>
  );
});
