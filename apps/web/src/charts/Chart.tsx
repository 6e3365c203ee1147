import { lazy, Suspense, useRef } from 'react';
import { Menu, Skeleton } from '@mantine/core';
import { IconDownload } from '@tabler/icons-react';
import { saveText, savePicture } from '../export/save.js';
import { csvLine } from '@flail/core/table';
import { dayTime } from '../format/times.js';
import { valueText } from '../format/values.js';
import { usePinning } from '../pins/usePinning.js';
import type { DrawingHandle } from './Drawing.js';
import type { ChartData, ChartKind } from './options.js';
import classes from './charts.module.css';

const Drawing = lazy(() => import('./Drawing.js'));

interface Props {
  data: ChartData;
  kind: ChartKind;
  height: number;
  /** What is drawn, for those who can not see it, and for names of files. */
  label: string;
}

/** Series over time, which can be taken away as a picture or as numbers, and read as a table. */
export function Chart({ data, kind, height, label }: Props) {
  const drawing = useRef<DrawingHandle>(null);
  const pin = usePinning();
  return (
    <figure className={classes.figure} aria-label={label}>
      <Suspense fallback={<Skeleton height={height} />}>
        <Drawing ref={drawing} data={data} kind={kind} height={height} />
      </Suspense>
      <Menu position="bottom-end" withinPortal>
        <Menu.Target>
          <button type="button" className={classes.save} aria-label={`Save the chart: ${label}`}>
            <IconDownload size={14} />
          </button>
        </Menu.Target>
        <Menu.Dropdown>
          <Menu.Item onClick={() => pin({ kind: 'chart', title: label })}>pin it, with this view</Menu.Item>
          <Menu.Item onClick={() => void savePicture(`${label}.png`, drawing.current?.svg() ?? '')}>
            as PNG
          </Menu.Item>
          <Menu.Item onClick={() => saveText(`${label}.svg`, drawing.current?.svg() ?? '', 'image/svg+xml')}>
            as SVG
          </Menu.Item>
          <Menu.Item onClick={() => saveText(`${label}.csv`, csvOf(data), 'text/csv')}>
            its numbers as CSV
          </Menu.Item>
        </Menu.Dropdown>
      </Menu>
      <details className={classes.numbers}>
        <summary>as a table</summary>
        <table>
          <thead>
            <tr>
              <th>time</th>
              {data.series.map(({ name }) => (
                <th key={name}>{name}</th>
              ))}
            </tr>
          </thead>
          <tbody>
            {(data.series.at(-1)?.points ?? []).slice(0, 500).map(([moment]) => (
              <tr key={moment}>
                <td>{dayTime(moment)}</td>
                {data.series.map(({ name, points }) => {
                  const value = points.find(([own]) => own === moment)?.[1];
                  return <td key={name}>{typeof value === 'number' ? valueText(value, data.unit) : '–'}</td>;
                })}
              </tr>
            ))}
          </tbody>
        </table>
      </details>
    </figure>
  );
}

/** The numbers, one line for each moment and series. */
function csvOf({ series }: ChartData): string {
  const rows = series.flatMap(({ name, points }) =>
    points.map(([moment, value]) => [
      new Date(moment).toISOString(),
      name,
      value === null ? '' : String(value),
    ]),
  );
  return [['time', 'series', 'value'], ...rows].map(csvLine).join('');
}
