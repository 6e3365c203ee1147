import type { RequestAnswer } from '@flail/contract';
import { useMemo, useRef, useState } from 'react';
import { secondsText } from '../format/figures.js';
import { useRowsInSight } from '../frame/useRowsInSight.js';
import { spanRows } from './span-rows.js';
import classes from './requests.module.css';

const ROW = 24;

interface Props {
  request: RequestAnswer;
  selected: number;
  onSelect: (span: number) => void;
}

/** The spans of a request as a tree on its time; the critical path stands out in each bar. */
export function SpanTree({ request, selected, onSelect }: Props) {
  const { spans, account, duration, logs, more } = request;
  const [opened, setOpened] = useState<ReadonlySet<number>>(new Set());
  const scroller = useRef<HTMLDivElement>(null);
  const rows = useMemo(() => spanRows(spans, opened), [spans, opened]);
  const critical = useMemo(() => {
    const parts = new Map<number, { from: number; to: number; kind: string }[]>();
    for (const { span, from, to, kind } of account) {
      const own = parts.get(span);
      if (own) own.push({ from, to, kind });
      else parts.set(span, [{ from, to, kind }]);
    }
    return parts;
  }, [account]);
  const said = useMemo(() => {
    const lines = new Map<string, number>();
    for (const { fields } of logs) {
      const id = fields.span;
      if (id !== undefined) lines.set(id, (lines.get(id) ?? 0) + 1);
    }
    return lines;
  }, [logs]);
  const virtual = useRowsInSight({ count: rows.length, height: ROW, scroller });
  const share = (seconds: number): string => `${(100 * seconds) / Math.max(duration, 1e-9)}%`;
  return (
    <div ref={scroller} className={classes.tree} role="tree" aria-label="Spans">
      <div style={{ height: virtual.getTotalSize(), position: 'relative' }}>
        {virtual.getVirtualItems().map(({ index, start }) => {
          const row = rows[index]!;
          const span = spans[row.span]!;
          const many = row.of.length > 1;
          const lines = many ? 0 : (said.get(span.id) ?? 0);
          return (
            <div
              key={row.span}
              className={classes.span}
              role="treeitem"
              aria-level={row.depth + 1}
              aria-selected={row.span === selected}
              data-selected={row.span === selected}
              data-failed={span.failed}
              data-testid="span"
              tabIndex={0}
              style={{ transform: `translateY(${start}px)`, height: ROW }}
              onClick={() => onSelect(row.span)}
              onKeyDown={({ key }) => key === 'Enter' && onSelect(row.span)}
            >
              <span className={classes.spanName} style={{ paddingLeft: 6 + Math.min(row.depth, 24) * 12 }}>
                {span.failed && (
                  <b className={classes.failedMark} title={span.message ?? 'failed'}>
                    F
                  </b>
                )}
                {many && (
                  <button
                    type="button"
                    className="word"
                    onClick={(event) => {
                      event.stopPropagation();
                      setOpened(new Set([...opened, row.span]));
                    }}
                    aria-label={`Show all ${row.of.length} ${span.operation}`}
                  >
                    {row.of.length} ×
                  </button>
                )}
                <span className={classes.spanService}>{span.service}</span> {span.operation}
                {span.peer !== undefined && <span className="soft"> of {span.peer}</span>}
                {lines > 0 && (
                  <span className={classes.said}>{lines === 1 ? '1 line' : `${lines} lines`}</span>
                )}
              </span>
              <span className={classes.spanTime}>
                {row.of.slice(0, BARS).map((one) => {
                  const { from, to } = spans[one]!;
                  return (
                    <span key={one}>
                      <i className={classes.spanBar} style={{ left: share(from), width: share(to - from) }} />
                      {critical.get(one)?.map((part, at) => (
                        <i
                          key={at}
                          className={classes.spanCritical}
                          data-kind={part.kind}
                          style={{ left: share(part.from), width: share(part.to - part.from) }}
                        />
                      ))}
                    </span>
                  );
                })}
              </span>
              <span className={classes.spanLength}>
                {secondsText(row.time)}
                {many && <span className="soft"> in all</span>}
              </span>
            </div>
          );
        })}
      </div>
      {more > 0 && <p className={classes.more}>{more.toLocaleString('en')} more spans are not shown.</p>}
    </div>
  );
}

/** Of calls counted as one row so many are drawn. */
const BARS = 300;
