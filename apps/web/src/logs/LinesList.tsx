import type { LogRecord } from '@flail/contract';
import { useDidUpdate } from '@mantine/hooks';
import { type RefObject, useEffect } from 'react';
import { clockTime } from '../format/times.js';
import { useRowsInSight } from '../frame/useRowsInSight.js';
import { LevelLetter } from '../paired/LevelLetter.js';
import type { Column } from './columns.js';
import type { Highlight } from './highlights.js';
import { LineText } from './LineText.js';
import list from '../frame/list.module.css';
import classes from './logs.module.css';

export const ROW_HEIGHT = { dense: 22, roomy: 30 } as const;

interface Props {
  records: readonly LogRecord[];
  columns: readonly Column[];
  highlights: readonly Highlight[];
  wrap: boolean;
  density: keyof typeof ROW_HEIGHT;
  selected: number;
  openId: string;
  /** The record that others are shown around. */
  middle?: string;
  stale?: boolean;
  scroller: RefObject<HTMLDivElement | null>;
  onSelect: (index: number) => void;
  /** More records are wanted: the end is in sight. */
  onEnd?: () => void;
}

/** What a record has in a column. */
export function valueIn(record: LogRecord, field: string): string {
  if (field === 'service' || field === 'source' || field === 'level') return record[field];
  return record.fields[field] ?? '';
}

/** The tracks of the grid that head and rows share. */
export const tracks = (columns: readonly Column[]): string =>
  ['12px 92px', ...columns.map(({ width }) => `${width}px`), 'minmax(0, 1fr)'].join(' ');

/** Records as lines; only those in sight are drawn. */
export function LinesList(props: Props) {
  const { records, columns, highlights, wrap, density, selected, openId, middle, scroller, onSelect, onEnd } =
    props;
  const height = ROW_HEIGHT[density];
  const virtual = useRowsInSight({
    count: records.length,
    height,
    scroller,
    keyOf: (index) => records[index]!.id,
  });
  useDidUpdate(() => virtual.measure(), [virtual, height, wrap]);
  const items = virtual.getVirtualItems();
  const last = items.at(-1)?.index ?? 0;
  useEffect(() => {
    if (last >= records.length - 40) onEnd?.();
  }, [last, records.length, onEnd]);
  useEffect(() => {
    if (selected >= 0) virtual.scrollToIndex(selected, { align: middle === undefined ? 'auto' : 'center' });
  }, [selected, virtual, middle]);
  const template = tracks(columns);
  return (
    <div ref={scroller} className={list.scroller} data-stale={props.stale === true} tabIndex={0}>
      <div role="list" style={{ height: virtual.getTotalSize(), position: 'relative' }}>
        {items.map(({ index, start, key }) => {
          const record = records[index]!;
          return (
            <div
              key={key}
              ref={wrap ? virtual.measureElement : undefined}
              data-index={index}
              role="listitem"
              className={`${list.row} ${classes.row}`}
              style={{
                transform: `translateY(${start}px)`,
                gridTemplateColumns: template,
                ...(wrap ? { minHeight: height } : { height }),
              }}
              data-selected={index === selected || record.id === openId}
              data-middle={record.id === middle || undefined}
              data-wrap={wrap || undefined}
              data-testid="line"
              onClick={() => {
                // Who has just selected text does not want the record.
                if (document.getSelection()?.isCollapsed !== false) onSelect(index);
              }}
            >
              <LevelLetter level={record.level} />
              <time dateTime={record.time} title={`${record.time} (UTC)`} className={classes.time}>
                {clockTime(record.time)}
              </time>
              {columns.map(({ field }) => (
                <span key={field} className={classes.cell} title={valueIn(record, field)}>
                  {valueIn(record, field)}
                </span>
              ))}
              <LineText record={record} highlights={highlights} whole={wrap} />
            </div>
          );
        })}
      </div>
    </div>
  );
}
