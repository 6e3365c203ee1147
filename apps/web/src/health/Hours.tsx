import type { HourBody } from '@flail/contract';
import { useElementSize } from '@mantine/hooks';
import { fullCount, percent } from '../format/numbers.js';
import { dayTime } from '../format/times.js';
import classes from './health.module.css';

const HEIGHT = 62;

/** The share that fails hour by hour against the tolerance; those that read left, those that write right in each hour. */
export function Hours({ hours, tolerance }: { hours: readonly HourBody[]; tolerance: number }) {
  const { ref, width } = useElementSize();
  const share = ({ all, failed }: { all: number; failed: number }): number => (all === 0 ? 0 : failed / all);
  const most = Math.max(2 * tolerance, ...hours.flatMap(({ read, write }) => [share(read), share(write)]));
  const step = width / hours.length;
  const y = (value: number): number => (HEIGHT - 14) * (1 - value / most);
  return (
    <div ref={ref}>
      <svg width={width} height={HEIGHT} role="img" aria-label="Share that fails, by hour">
        {hours.map((hour, at) => (
          <g key={hour.from}>
            {(['read', 'write'] as const).map((how, side) => (
              <rect
                key={how}
                x={at * step + side * (step / 2)}
                width={Math.max(1, step / 2 - 1.5)}
                y={y(share(hour[how]))}
                height={HEIGHT - 14 - y(share(hour[how]))}
                className={share(hour[how]) > tolerance ? classes.over : classes.under}
                data-how={how}
              />
            ))}
            <rect x={at * step} width={step} y={0} height={HEIGHT} fill="transparent">
              <title>
                {`${dayTime(hour.from)}: ${percent(share(hour))} of ${fullCount(Math.round(hour.all))} failed; reading ${percent(share(hour.read))}, writing ${percent(share(hour.write))}`}
              </title>
            </rect>
            {at % 6 === 0 && (
              <text x={at * step} y={HEIGHT - 2} className={classes.tick}>
                {dayTime(hour.from).slice(-5)}
              </text>
            )}
          </g>
        ))}
        <line x1={0} x2={width} y1={y(tolerance)} y2={y(tolerance)} className={classes.tolerance} />
        <text x={2} y={y(tolerance) - 3} className={classes.tick}>
          {percent(tolerance)}
        </text>
        <line x1={0} x2={width} y1={HEIGHT - 14} y2={HEIGHT - 14} className={classes.ground} />
      </svg>
    </div>
  );
}
