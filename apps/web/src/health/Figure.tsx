import type { FigureBody } from '@flail/contract';
import { dayTime } from '../format/times.js';
import { figureText } from '../format/figures.js';
import { changeText } from './sentences.js';
import classes from './health.module.css';

const WIDTH = 150;
const HEIGHT = 40;

/** A figure over the focus and as long before it, with what is normal there as a band. */
export function Figure({ figure }: { figure: FigureBody }) {
  const { name, unit, value, usual, verdict, stretch, values, low, high } = figure;
  return (
    <div className={classes.figure} data-verdict={verdict} data-testid="figure">
      <div className={classes.figureName}>{name}</div>
      <div className={classes.figureValue}>
        <b>{value === undefined ? '–' : figureText(value, unit)}</b>
        {usual !== undefined && <span className="soft">usual {figureText(usual, unit)}</span>}
      </div>
      <Spark values={values} low={low} high={high} />
      <div className={classes.figureChange}>
        {changeText(figure)}
        {stretch && ` since ${dayTime(stretch.from).slice(-5)}`}
      </div>
    </div>
  );
}

function Spark({ values, low, high }: Pick<FigureBody, 'values' | 'low' | 'high'>) {
  const all = [...values, ...low, ...high].filter((one) => one !== null);
  if (all.length === 0) return <svg width={WIDTH} height={HEIGHT} aria-hidden />;
  const least = Math.min(0, ...values.filter((one) => one !== null));
  const most = Math.max(...all, least + Number.MIN_VALUE);
  const step = WIDTH / values.length;
  const y = (value: number): number =>
    HEIGHT - 2 - ((Math.max(least, value) - least) / (most - least)) * (HEIGHT - 4);
  const band = low
    .map((one, at) =>
      one === null || high[at] === null || high[at] === undefined
        ? ''
        : `M${at * step},${y(high[at])}h${step}V${y(one)}h${-step}Z`,
    )
    .join('');
  let line = '';
  let gap = true;
  values.forEach((one, at) => {
    if (one === null) {
      gap = true;
      return;
    }
    line += `${gap ? 'M' : 'L'}${(at + 0.5) * step},${y(one)}`;
    gap = false;
  });
  return (
    <svg width={WIDTH} height={HEIGHT} aria-hidden>
      <rect x={WIDTH / 2} width={WIDTH / 2} y={0} height={HEIGHT} className={classes.sparkFocus} />
      <path d={band} className={classes.sparkBand} />
      <path d={line} className={classes.sparkLine} />
    </svg>
  );
}
