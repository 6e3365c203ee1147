import type { LogRecord } from '@flail/contract';
import { Select } from '@mantine/core';
import { useQueryClient } from '@tanstack/react-query';
import { useMemo, useRef } from 'react';
import { api } from '../api/client.js';
import { useAsked } from '../api/queries.js';
import { useViewParameter, useViewState } from '../context/view-state.js';
import { plural } from '../format/numbers.js';
import { clockTime } from '../format/times.js';
import { Choice } from '../frame/Choice.js';
import { Failure, Message, Waiting } from '../states/States.js';
import {
  COMPANY,
  COMPANY_WORDS,
  type Company,
  companyScope,
  placeOf,
  REACHES,
  type Reach,
  reachOf,
} from './around.js';
import { ColumnHeads } from './ColumnHeads.js';
import type { Column } from './columns.js';
import type { Highlight } from './highlights.js';
import { LinesList } from './LinesList.js';
import { useRecordAt } from './useRecordAt.js';
import list from '../frame/list.module.css';
import classes from './logs.module.css';

interface Props {
  place: string;
  columns: readonly Column[];
  onColumns: (columns: Column[]) => void;
  highlights: readonly Highlight[];
  wrap: boolean;
  openId: string;
  onOpen: (record: LogRecord) => void;
  onBack: () => void;
}

/** The records before and after one, whatever the scope; the list that it was found in waits behind. */
export function AroundView({ place, columns, onColumns, highlights, wrap, openId, onOpen, onBack }: Props) {
  const [{ dataset }] = useViewState();
  const client = useQueryClient();
  const [company, setCompany] = useViewParameter('with', 'all');
  const [reach, setReach] = useViewParameter('reach', REACHES[0]);
  const scroller = useRef<HTMLDivElement>(null);
  const at = placeOf(place);
  const middle = useRecordAt(dataset, place);
  const record = middle.data ?? undefined;
  const scope = record && companyScope(record, company as Company);
  const around = useAsked(
    ['around', dataset, place, company, reach],
    async (signal) => {
      const { window, limit } = reachOf(record!.time, reach as Reach);
      const side = (order: 'newest' | 'oldest') =>
        api.logs({ dataset, window, scope: scope!, order, limit, cursor: record!.cursor }, signal);
      const [before, after] = await Promise.all([side('newest'), side('oldest')]);
      const found = { before: [...before.records].reverse(), after: after.records };
      return { ...found, company: company as Company };
    },
    scope !== undefined,
  );
  const records = useMemo(
    () => (record && around.data ? [...around.data.before, record, ...around.data.after] : []),
    [record, around.data],
  );
  const error = middle.error ?? around.error;
  return (
    <div className={classes.main} data-testid="around">
      <div className={classes.head}>
        <p className={list.finding} data-testid="finding">
          {record && around.data
            ? `${plural(around.data.before.length, 'record')} before and ${plural(around.data.after.length, 'record')} after ${clockTime(record.time)}, ${COMPANY_WORDS[around.data.company]}.`
            : 'The records around one.'}{' '}
          <button type="button" className="word" onClick={onBack}>
            back to the list
          </button>
        </p>
        <Choice
          aria-label="Whose records"
          data={COMPANY.map((value) => ({
            value,
            label: COMPANY_WORDS[value],
            disabled: record !== undefined && companyScope(record, value) === undefined,
          }))}
          value={company}
          onChange={setCompany}
        />
        <Select
          size="xs"
          w={110}
          aria-label="How far around"
          data={[...REACHES]}
          value={reach}
          allowDeselect={false}
          onChange={(value) => setReach(value ?? REACHES[0])}
        />
      </div>
      {error ? (
        <Failure error={error} onRetry={() => void around.refetch()} />
      ) : at === undefined || middle.data === null ? (
        <Message title="This record is not here any more">
          <p>It may be past the time for which its source is kept, or belong to another data set.</p>
        </Message>
      ) : record && scope === undefined ? (
        <Message title={`It belongs to no ${company}`}>
          <p>Its line names none; show all records around it.</p>
        </Message>
      ) : !around.data ? (
        <Waiting onCancel={() => void client.cancelQueries({ queryKey: ['around'] })} />
      ) : (
        <>
          <ColumnHeads columns={columns} onChange={onColumns} />
          <LinesList
            // Another place is shown from its own middle.
            key={`${place} ${company} ${reach}`}
            records={records}
            columns={columns}
            highlights={highlights}
            wrap={wrap}
            density="dense"
            selected={around.data.before.length}
            openId={openId}
            middle={record?.id ?? ''}
            scroller={scroller}
            onSelect={(index) => onOpen(records[index]!)}
          />
        </>
      )}
    </div>
  );
}
