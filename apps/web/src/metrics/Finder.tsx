import type { FoundSeries, OnsetsSearchAnswer, ReadBody, SeriesSource } from '@flail/contract';
import { TextInput } from '@mantine/core';
import { useDebouncedValue } from '@mantine/hooks';
import { api } from '../api/client.js';
import { useAsked } from '../api/queries.js';
import { useTold } from '../api/useTold.js';
import { useViewParameter } from '../context/view-state.js';
import { onsetTime, sizeText } from '../onsets/sentences.js';
import { Failure } from '../states/States.js';
import { LongWait } from '../states/LongWait.js';
import classes from './metrics.module.css';

interface Props {
  body: ReadBody;
  /** Draws it in a plot of its own, or into the plot that is chosen. */
  onAdd: (source: SeriesSource, into: 'new' | 'chosen') => void;
  canLay: boolean;
}

const PARTS = ['metrics', 'requests', 'patterns'] as const;

/** Finds what can be drawn: by words, or by what has moved in the focus. */
export function Finder({ body, onAdd, canLay }: Props) {
  const [text, setText] = useViewParameter('find', '');
  const [query] = useDebouncedValue(text, 200);
  const found = useAsked(
    ['find-series', body, query],
    (signal) => api.findSeries({ ...body, query }, signal),
    query !== '',
  );
  const onsets = useTold(['onsets', body], (told, signal) => api.onsets(body, told, signal));
  return (
    <div>
      <TextInput
        aria-label="Find series"
        placeholder="a metric, service, pattern, unit"
        value={text}
        onChange={({ currentTarget }) => setText(currentTarget.value)}
        data-testid="find-series"
      />
      {query !== '' ? (
        found.isError ? (
          <Failure error={found.error} onRetry={() => void found.refetch()} />
        ) : (
          <>
            {PARTS.map((part) => (
              <Group key={part} title={part} found={found.data?.[part] ?? []} onAdd={onAdd} canLay={canLay} />
            ))}
            {found.data && PARTS.every((part) => found.data[part].length === 0) && (
              <p className="soft">Nothing that can be drawn has these words.</p>
            )}
            <Group
              title="as an expression"
              found={[
                { name: query, about: 'records that match', source: { of: 'expression', expression: query } },
              ]}
              onAdd={onAdd}
              canLay={canLay}
            />
          </>
        )
      ) : (
        <>
          <h2>Moved in the focus</h2>
          {onsets.isError && <Failure error={onsets.error} onRetry={() => void onsets.refetch()} />}
          {onsets.isPending && <LongWait progress={onsets.progress} what="series" queryKey="onsets" />}
          {onsets.data && <Moved answer={onsets.data} onAdd={onAdd} canLay={canLay} />}
        </>
      )}
    </div>
  );
}

function Moved({ answer: { groups }, onAdd, canLay }: { answer: OnsetsSearchAnswer } & Omit<Props, 'body'>) {
  if (groups.length === 0) return <p className="soft">Nothing left its normal range.</p>;
  const found = groups.map((group): FoundSeries => ({
    name: group.measure,
    about: `${group.service} · ${onsetTime(group.onset)} · ${sizeText(group)}`,
    source: group.source,
  }));
  return <Group title="" found={found} onAdd={onAdd} canLay={canLay} />;
}

export function Group({
  title,
  found,
  onAdd,
  canLay,
}: { title: string; found: readonly FoundSeries[] } & Omit<Props, 'body'>) {
  if (found.length === 0) return null;
  return (
    <>
      {title !== '' && <h2>{title}</h2>}
      <ul className={classes.found}>
        {found.map(({ name, about, source }) => (
          <li key={JSON.stringify(source)}>
            <button type="button" className={classes.name} onClick={() => onAdd(source, 'new')}>
              {name}
            </button>
            <span className="soft">{about}</span>
            {canLay && (
              <button
                type="button"
                className="word"
                aria-label={`lay ${name} over the chosen plot`}
                onClick={() => onAdd(source, 'chosen')}
              >
                lay over
              </button>
            )}
          </li>
        ))}
      </ul>
    </>
  );
}
