import type { RequestsSearchAnswer } from '@flail/contract';
import { useElementSize } from '@mantine/hooks';
import { scaleLog } from 'd3-scale';
import { type PointerEvent, useMemo, useState } from 'react';
import { secondsText } from '../format/figures.js';
import { type Durations, StripMarks } from './StripMarks.js';
import classes from './requests.module.css';

const HEIGHT = 132;
/** Room beneath, for the failures. */
const FAILURES = 26;
const LEFT = 54;
const TICKS = [0.001, 0.01, 0.1, 1, 10, 100];

interface Props {
  strips: RequestsSearchAnswer['strips'];
  /** Seconds of the two lines, where they are set. */
  slower: number | undefined;
  faster: number | undefined;
  onCut: (which: 'slower' | 'faster', seconds: number | undefined) => void;
}

/** Per step of time the spread of durations as a strip, failures counted beneath; two lines that cut the cohorts. */
export function Strips({ strips, slower, faster, onCut }: Props) {
  const { ref, width } = useElementSize();
  const [dragged, setDragged] = useState<{ which: 'slower' | 'faster'; seconds: number }>();
  const { low, high, y } = useMemo(() => scaleOf(strips), [strips]);
  const lines = [
    { which: 'slower', seconds: slower, rest: 0.97, words: 'slower than' },
    { which: 'faster', seconds: faster, rest: 0.03, words: 'faster than' },
  ] as const;
  const at = (seconds: number | undefined, rest: number): number =>
    seconds ?? y.invert((HEIGHT - FAILURES) * (1 - rest) + 6 * rest);

  const move = (which: 'slower' | 'faster') => (event: PointerEvent<SVGElement>) => {
    if (!event.currentTarget.hasPointerCapture(event.pointerId)) return;
    const top = event.currentTarget.ownerSVGElement!.getBoundingClientRect().top;
    setDragged({ which, seconds: y.invert(event.clientY - top) });
  };

  return (
    <div className={classes.strips}>
      <div ref={ref}>
        <svg width={width} height={HEIGHT} role="group" aria-label="Durations over time, failures beneath">
          {TICKS.filter((tick) => tick > low && tick < high).map((tick) => (
            <g key={tick}>
              <line x1={LEFT} x2={width} y1={y(tick)} y2={y(tick)} className={classes.grid} />
              <text x={LEFT - 5} y={y(tick) + 4} textAnchor="end" className={classes.tick}>
                {secondsText(tick)}
              </text>
            </g>
          ))}
          {width > 0 && (
            <StripMarks strips={strips} y={y} left={LEFT} width={width} height={HEIGHT} failures={FAILURES} />
          )}
          <line
            x1={LEFT}
            x2={width}
            y1={HEIGHT - FAILURES + 2}
            y2={HEIGHT - FAILURES + 2}
            className={classes.ground}
          />
          <text x={LEFT - 5} y={HEIGHT - 8} textAnchor="end" className={classes.tick}>
            failed
          </text>
          {width > 0 &&
            lines.map(({ which, seconds, rest, words }) => {
              const own = dragged?.which === which ? dragged.seconds : seconds;
              const value = at(own, rest);
              return (
                <g key={which} className={classes.cut} data-set={own !== undefined}>
                  <line x1={LEFT} x2={width} y1={y(value)} y2={y(value)} />
                  <text x={width - 6} y={labelAt(which, y(value))} textAnchor="end">
                    {own === undefined ? `drag: ${words} …` : `${words} ${secondsText(value)}`}
                  </text>
                  <rect
                    x={LEFT}
                    width={Math.max(0, width - LEFT)}
                    y={y(value) - 5}
                    height={10}
                    fill="transparent"
                    className={classes.handle}
                    tabIndex={0}
                    role="slider"
                    aria-label={`Requests ${words}`}
                    aria-valuenow={Number(value.toPrecision(3))}
                    aria-valuetext={own === undefined ? 'not set' : secondsText(value)}
                    onPointerDown={(event) => {
                      event.currentTarget.setPointerCapture(event.pointerId);
                      setDragged({ which, seconds: value });
                    }}
                    onPointerMove={move(which)}
                    onPointerUp={() => {
                      if (dragged) onCut(which, Number(dragged.seconds.toPrecision(3)));
                      setDragged(undefined);
                    }}
                    onDoubleClick={() => onCut(which, undefined)}
                    onKeyDown={({ key }) => {
                      if (key === 'ArrowUp') onCut(which, Number((value * 1.1).toPrecision(3)));
                      if (key === 'ArrowDown') onCut(which, Number((value / 1.1).toPrecision(3)));
                      if (key === 'Delete') onCut(which, undefined);
                    }}
                  />
                </g>
              );
            })}
        </svg>
      </div>
    </div>
  );
}

/** Durations of all strips on one scale, the longest at the top. */
function scaleOf({ focus }: Props['strips']): { low: number; high: number; y: Durations } {
  const all = focus.flatMap(({ quantiles }) => quantiles ?? []);
  const low = Math.max(1e-5, Math.min(...all, 1) * 0.8);
  const high = Math.max(...all, low * 10) * 1.25;
  return { low, high, y: scaleLog([low, high], [HEIGHT - FAILURES, 6]).clamp(true) };
}

/** Where the words of a cut line stand: on the side that it cuts off, as long as that is in the plot. */
const labelAt = (which: 'slower' | 'faster', y: number): number =>
  which === 'slower' ? (y < 14 ? y + 11 : y - 3) : y > HEIGHT - FAILURES - 12 ? y - 3 : y + 11;
