import type { RequestsSearchAnswer } from '@flail/contract';
import type { ScaleLogarithmic } from 'd3-scale';
import { memo, useState } from 'react';
import { plural } from '../format/numbers.js';
import { clockTime } from '../format/times.js';
import { secondsText } from '../format/figures.js';
import classes from './requests.module.css';

export type Durations = ScaleLogarithmic<number, number>;
type Strip = RequestsSearchAnswer['strips']['focus'][number];

interface Props {
  strips: RequestsSearchAnswer['strips'];
  y: Durations;
  left: number;
  width: number;
  height: number;
  /** Room beneath the strips, for the failures. */
  failures: number;
}

/**
 * The spread of durations of each step as a strip, from the fastest to what nine of ten are under, with its middle and its
 * longest; failures beneath. What is of one kind is one path: what a step shows is told of the one that is pointed at.
 */
export const StripMarks = memo(function StripMarks({ strips, y, left, width, height, failures }: Props) {
  const { focus } = strips;
  const [pointed, setPointed] = useState(-1);
  const step = Math.max(0, width - left) / focus.length;
  const mostFailed = Math.max(1, ...focus.map(({ failed }) => failed));
  const all = (path: (strip: Strip, x: number) => string): string =>
    focus.map((strip, at) => path(strip, left + at * step)).join('');
  const spread = (path: (quantiles: readonly number[], x: number) => string): string =>
    all(({ quantiles }, x) => (quantiles ? path(quantiles, x) : ''));
  const bar = (x: number, top: number, bottom: number): string =>
    `M${round(x + step * 0.15)} ${round(top)}h${round(Math.max(1, step * 0.7))}V${round(bottom)}h${round(-Math.max(1, step * 0.7))}z`;
  const bottom = height - failures;
  return (
    <g>
      <path
        d={spread((own, x) => bar(x, y(own[2]!), Math.max(y(own[2]!) + 1, y(own[0]!))))}
        className={classes.strip}
      />
      <path
        d={spread((own, x) => `M${round(x + step / 2)} ${round(y(own[4]!))}V${round(y(own[2]!))}`)}
        className={classes.whisker}
      />
      <path
        d={spread((own, x) => `M${round(x)} ${round(y(own[1]!))}h${round(step)}`)}
        className={classes.middle}
      />
      <path
        d={all(({ failed }, x) =>
          failed > 0
            ? bar(x, bottom + 4, bottom + 4 + Math.max(2, (failed / mostFailed) * (failures - 6)))
            : '',
        )}
        className={classes.failures}
      />
      <rect
        x={left}
        width={Math.max(0, width - left)}
        y={0}
        height={height}
        fill="transparent"
        onMouseMove={(event) => {
          const from = event.currentTarget.getBoundingClientRect().left;
          setPointed(Math.floor((event.clientX - from) / step));
        }}
      >
        <title>{focus[pointed] && stripText(strips, pointed)}</title>
      </rect>
    </g>
  );
});

const round = (place: number): string => place.toFixed(1);

/** What a strip shows, in words. */
function stripText({ from, step, focus }: Props['strips'], index: number): string {
  const { count, failed, quantiles } = focus[index]!;
  const moment = clockTime(new Date(Date.parse(from) + index * step * 1000).toISOString()).slice(0, 8);
  const spread = quantiles
    ? `; half under ${secondsText(quantiles[1])}, 90% under ${secondsText(quantiles[2])}, longest ${secondsText(quantiles[4])}`
    : '';
  return `${moment}: ${plural(Math.round(count), 'request')}, ${Math.round(failed)} failed${spread}`;
}
