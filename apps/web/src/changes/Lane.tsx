import { useElementSize } from '@mantine/hooks';
import { type ScaleTime, scaleTime } from 'd3-scale';
import { memo, useMemo } from 'react';
import type { Span } from '../context/view-state.js';
import { dayTime } from '../format/times.js';
import { KIND_GLYPHS, type Row } from './changes.js';
import classes from './changes.module.css';

const DAY = 86_400_000;
const LANE = 64;
const TOP = 16;

interface LaneProps {
  rows: readonly Row[];
  span: Span;
  focus: Span | undefined;
  chosen: string;
  onChoose: (id: string) => void;
}

/** Changes on an axis of time, a line for each kind. */
export function Lane({ rows, span, focus, chosen, onChoose }: LaneProps) {
  const { ref, width } = useElementSize();
  const { from, to } = span;
  const x = useMemo(() => scaleTime([from, to], [12, Math.max(100, width - 12)]), [from, to, width]);
  const kinds = [...new Set(rows.map(({ kind }) => kind))];
  const y = (kind: string): number =>
    24 + ((kinds.indexOf(kind) + 0.5) / Math.max(1, kinds.length)) * (LANE - 28);
  return (
    <div ref={ref} className={classes.lane}>
      <svg
        width={width}
        height={LANE}
        role="img"
        aria-label={`${rows.length} changes over time; the list follows`}
      >
        {focus && (
          <rect
            x={x(Math.max(from, focus.from))}
            width={Math.max(1, x(focus.to) - x(Math.max(from, focus.from)))}
            y={TOP}
            height={LANE - TOP}
            className={classes.focus}
          />
        )}
        {x.ticks(8).map((tick) => (
          <g key={tick.getTime()}>
            <line x1={x(tick)} x2={x(tick)} y1={TOP} y2={LANE} className={classes.grid} />
            <text x={x(tick)} y={11} textAnchor={anchorAt(x(tick), width)} className={classes.tick}>
              {dayTime(tick.getTime()).slice(to - from > 2 * DAY ? 0 : -5)}
            </text>
          </g>
        ))}
        {rows.map((row) => (
          <Mark
            key={`${row.source} ${row.id}`}
            row={row}
            x={x}
            y={y(row.kind)}
            chosen={row.id === chosen}
            onChoose={onChoose}
          />
        ))}
      </svg>
    </div>
  );
}

/** Half of what the name of a tick takes, in pixels. */
const HALF_TICK = 36;

/** In the middle of its tick, but not beyond an edge. */
const anchorAt = (at: number, width: number): 'start' | 'middle' | 'end' =>
  at < HALF_TICK ? 'start' : at > width - HALF_TICK ? 'end' : 'middle';

interface MarkProps {
  row: Row;
  x: ScaleTime<number, number>;
  y: number;
  chosen: boolean;
  onChoose: (id: string) => void;
}

const Mark = memo(function Mark({ row: { id, time, kind, title }, x, y, chosen, onChoose }: MarkProps) {
  const at = x(Date.parse(time));
  return (
    <g onClick={() => onChoose(id)} className={classes.mark} data-chosen={chosen}>
      <line x1={at} x2={at} y1={TOP} y2={LANE} />
      <text x={at + 3} y={y + 4}>
        {KIND_GLYPHS[kind] ?? '·'}
      </text>
      <title>{`${dayTime(time)} ${title}`}</title>
    </g>
  );
});
