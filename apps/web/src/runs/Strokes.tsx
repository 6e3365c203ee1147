import type { JobTallyBody, StrokeBody } from '@flail/contract';
import { type MouseEvent, useMemo, useState } from 'react';
import type { Span } from '../context/view-state.js';
import { plural } from '../format/numbers.js';
import { dayTime, duration } from '../format/times.js';
import classes from './runs.module.css';

const LINE = 28;
const MIDDLE = LINE / 2;
/** Strokes are so high at least, and at most, in pixels. */
const LOW = 4;
const HIGH = 13;
/** So far from a stroke it is still meant, in pixels. */
const NEAR = 4;

interface Props {
  line: JobTallyBody['lines'][number];
  span: Span;
  width: number;
  stuck: ReadonlySet<string>;
  /** Seconds of the run that took longest, of all lines that stand together. */
  longest: number;
  onRun: (run: string) => void;
}

/** A run, and where it is drawn. */
interface Placed {
  run: string;
  kind: string;
  time: string;
  seconds: number;
  x: number;
  from: number;
  to: number;
}

/**
 * A stroke for each run of a line: up where it went well, down where it failed, hanging where it is stuck. Those of one
 * kind are one path: of hundreds of runs each as an element of its own would hold up the whole page.
 */
export function Strokes({ line, span, width, stuck, longest, onRun }: Props) {
  const placed = useMemo(
    () => line.strokes.map((stroke) => placedAt(stroke, span, width, stuck.has(stroke.run), longest)),
    [line, span, width, stuck, longest],
  );
  const paths = useMemo(() => pathsOf(placed), [placed]);
  const [pointed, setPointed] = useState<Placed>();
  const nearest = (event: MouseEvent<SVGSVGElement>): Placed | undefined => {
    const x = event.clientX - event.currentTarget.getBoundingClientRect().left;
    return nearestTo(placed, x);
  };
  return (
    <svg
      width={width}
      height={LINE}
      role="img"
      aria-label={`${plural(line.strokes.length, 'run')}, ${line.failed} failed`}
      className={classes.strokes}
      data-pointed={pointed !== undefined}
      onMouseMove={(event) => setPointed(nearest(event))}
      onMouseLeave={() => setPointed(undefined)}
      onClick={(event) => {
        const own = nearest(event);
        if (own) onRun(own.run);
      }}
    >
      <title>{pointed && strokeText(pointed)}</title>
      <line x1={0} x2={width} y1={MIDDLE} y2={MIDDLE} className={classes.ground} />
      {[...paths].map(([kind, path]) => (
        <path key={kind} d={path} data-state={kind} />
      ))}
      {placed
        .filter(({ kind }) => kind === 'stuck')
        .map(({ run, x }) => (
          <circle key={run} cx={x} cy={LINE - 3} r={2.5} />
        ))}
      {pointed && <path d={strokePath(pointed)} data-state={pointed.kind} className={classes.pointed} />}
    </svg>
  );
}

function placedAt(
  { run, time, seconds, state }: StrokeBody,
  span: Span,
  width: number,
  isStuck: boolean,
  longest: number,
): Placed {
  const kind = isStuck ? 'stuck' : state;
  const along = ((Date.parse(time) - span.from) / (span.to - span.from)) * width;
  const length = LOW + (HIGH - LOW) * Math.sqrt(seconds / longest);
  const down = kind === 'stuck' || kind === 'failed' || kind === 'stopped';
  return {
    run,
    kind,
    time,
    seconds,
    x: Math.max(1, Math.min(width - 2, along)),
    from: down ? MIDDLE : MIDDLE - length,
    to: kind === 'stuck' ? LINE - 1 : down ? MIDDLE + length : MIDDLE,
  };
}

const strokeText = ({ time, kind, seconds }: Placed): string =>
  `${dayTime(time)}: ${kind}, ${duration(seconds * 1000)}`;

const strokePath = ({ x, from, to }: Placed): string =>
  `M${x.toFixed(1)} ${from.toFixed(1)}V${to.toFixed(1)}`;

/** Strokes by what became of their runs; what was done with errors hangs down a little as well. */
function pathsOf(placed: readonly Placed[]): Map<string, string> {
  const paths = new Map<string, string>();
  const add = (kind: string, path: string): void => void paths.set(kind, (paths.get(kind) ?? '') + path);
  for (const one of placed) {
    add(one.kind, strokePath(one));
    if (one.kind === 'done with errors')
      add('errors', strokePath({ ...one, from: MIDDLE, to: MIDDLE + LOW }));
  }
  return paths;
}

function nearestTo(placed: readonly Placed[], x: number): Placed | undefined {
  let best: Placed | undefined;
  for (const one of placed) if (!best || Math.abs(one.x - x) < Math.abs(best.x - x)) best = one;
  return best && Math.abs(best.x - x) <= NEAR ? best : undefined;
}
