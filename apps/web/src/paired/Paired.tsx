import { fullCount, shortCount } from '../format/numbers.js';
import classes from './paired.module.css';

interface Props {
  focus: number;
  /** Baseline count stretched to the focus's length; undefined where there is no baseline. */
  expected: number | undefined;
  /** Records really counted in the baseline. */
  baseline: number;
  /** Count that fills the width. */
  most: number;
  /** In pixels. */
  width?: number;
}

const WIDTH = 86;

/** Two counts on one scale: the focus as a filled bar, the baseline as an outline. A root scale keeps small ones visible. */
export function Paired({ focus, expected, baseline, most, width = WIDTH }: Props) {
  const length = (count: number): number =>
    count <= 0 ? 0 : Math.max(2, Math.sqrt(count / Math.max(1, most)) * width);
  const label = `${fullCount(focus)} in focus${expected === undefined ? '' : `, ${fullCount(baseline)} in baseline`}`;
  return (
    <span className={classes.paired} title={label}>
      <span className="visually-hidden">{label}</span>
      <svg width={width + 1} height={14} aria-hidden>
        {focus > 0 && <rect x={0} y={2.5} width={length(focus)} height={9} className={classes.focus} />}
        {expected !== undefined && expected > 0 && (
          <rect
            x={0.5}
            y={0.5}
            width={Math.max(1, length(expected) - 1)}
            height={13}
            className={classes.baseline}
          />
        )}
      </svg>
      <b aria-hidden>{shortCount(focus)}</b>
    </span>
  );
}

/** How a count runs over the focus (filled) and ran over the baseline (line), step by step. */
export function Trend({ focus, baseline }: { focus: readonly number[]; baseline: readonly number[] }) {
  const most = Math.max(1, ...focus, ...baseline);
  const step = 72 / focus.length;
  const y = (count: number): number => 15 - (count / most) * 14;
  const line = baseline
    .map((count, index) => `${index === 0 ? 'M' : 'L'}${index * step},${y(count)}H${(index + 1) * step}`)
    .join('');
  const bars = focus
    .map((count, index) => (count > 0 ? `M${index * step},15V${y(count)}h${step - 0.4}V15z` : ''))
    .join('');
  return (
    <svg width={72} height={16} aria-hidden className={classes.trend}>
      <path d={bars} className={classes.focus} />
      {baseline.some((count) => count > 0) && <path d={line} className={classes.trendBaseline} />}
      <line x1={0} x2={72} y1={15.5} y2={15.5} className={classes.ground} />
    </svg>
  );
}
