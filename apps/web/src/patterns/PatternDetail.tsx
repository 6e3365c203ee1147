import type { PatternAnswer, PatternSummary, ReadBody } from '@flail/contract';
import { narrow, quoteValue } from '@flail/core/expression';
import { CloseButton, TextInput } from '@mantine/core';
import { useState } from 'react';
import { api } from '../api/client.js';
import { useAsked, usePatternDetail, useSummary } from '../api/queries.js';
import { Chart } from '../charts/Chart.js';
import { seriesOf } from '../charts/options.js';
import { useViewState } from '../context/view-state.js';
import { fullCount, percent } from '../format/numbers.js';
import { clockTime, dayTime } from '../format/times.js';
import { distinctText, fieldFinding } from '../logs/fields.js';
import { LineText } from '../logs/LineText.js';
import { regularitySentence } from '../logs/regularity.js';
import { stepFor, withSteps } from '../logs/steps.js';
import { LevelLetter } from '../paired/LevelLetter.js';
import { liftWords } from '../paired/lift.js';
import { ValueRow } from '../paired/ValueRow.js';
import { Failure } from '../states/States.js';
import { CorrectSentence } from './CorrectSentence.js';
import { Grouping } from './Grouping.js';
import { sentenceText } from './Sentence.js';
import type { PatternRules } from './usePatternRules.js';
import classes from './detail.module.css';

interface Props {
  row: PatternSummary;
  body: ReadBody;
  /** Records of the focus in all patterns. */
  all: number;
  rules: PatternRules;
  onClose: () => void;
  onLines: () => void;
  onPin: () => void;
}

/** One pattern, looked at closely: its slots in both windows, samples, where else it occurs, and how it is grouped. */
export default function PatternDetail({ row, body, all, rules, onClose, onLines, onPin }: Props) {
  const detail = usePatternDetail(body, row.id);
  const mark = (kind: 'known' | 'worth reading' | 'muted'): void =>
    rules.mark(
      [{ kind, pattern: row.id }],
      `Marked “${sentenceText(row.sentence).slice(0, 60)}” as ${kind}.`,
    );
  return (
    <aside className={classes.panel} aria-label="Pattern" data-testid="pattern-detail">
      <div className={classes.head}>
        <LevelLetter level={row.level} />
        <code>{row.id}</code>
        <CloseButton size="sm" ml="auto" aria-label="Close the pattern" onClick={onClose} />
      </div>
      <CorrectSentence row={row} detail={detail.data} onCorrect={rules.correct} />
      <p className={classes.finding}>
        {fullCount(row.focus)} in focus, {percent(all === 0 ? 0 : row.focus / all)} of all;{' '}
        {fullCount(row.baseline)} in baseline; {liftWords(row)}. First seen {dayTime(row.firstSeen)}, last{' '}
        {dayTime(row.lastSeen)}.
      </p>
      <p className={classes.actions}>
        <button type="button" className="word" onClick={onLines}>
          open its lines
        </button>
        <button type="button" className="word" onClick={onPin}>
          pin
        </button>
        {(['known', 'worth reading', 'muted'] as const).map((kind) => (
          <button key={kind} type="button" className="word" onClick={() => mark(kind)}>
            {kind === 'muted' ? 'mute' : `mark as ${kind}`}
          </button>
        ))}
      </p>
      <Name row={row} rules={rules} />
      {detail.isError && <Failure error={detail.error} onRetry={() => void detail.refetch()} />}
      {detail.data?.slots.map((slot, index) => (
        <Slot key={slot.field} slot={slot} index={index} pattern={row.id} body={body} />
      ))}
      <Samples id={row.id} body={body} />
      <Elsewhere id={row.id} body={body} />
      {detail.data && <Grouping id={row.id} detail={detail.data} rules={rules} />}
    </aside>
  );
}

function Name({ row, rules }: { row: PatternSummary; rules: PatternRules }) {
  const [name, setName] = useState(row.name ?? '');
  return (
    <form
      className={classes.name}
      onSubmit={(event) => {
        event.preventDefault();
        if (name.trim() !== '')
          rules.correct({ kind: 'name', pattern: row.id, name: name.trim() }, `Named it “${name.trim()}”.`);
      }}
    >
      <TextInput
        size="xs"
        placeholder="give it a name"
        aria-label="Name of the pattern"
        value={name}
        onChange={(event) => setName(event.currentTarget.value)}
      />
    </form>
  );
}

const VALUES_SHOWN = 8;
/** Types of slots whose values are numbers: over time they are a metric. */
const MEASURED = new Set(['number', 'duration', 'size', 'percentage']);

interface SlotProps {
  slot: PatternAnswer['slots'][number];
  index: number;
  pattern: string;
  body: ReadBody;
}

function Slot({ slot, index, pattern, body }: SlotProps) {
  const [state, change] = useViewState();
  const [open, setOpen] = useState(index === 0);
  const ratio = slot.baseline === 0 ? 0 : slot.focus / slot.baseline;
  const most = Math.max(1, ...slot.values.map((value) => Math.max(value.focus, value.baseline * ratio)));
  const measured = MEASURED.has(slot.type);
  const fresh = slot.values.filter(({ focus, baseline }) => focus > 0 && baseline === 0).length;
  const term = (value: string): string => `pattern ${pattern} and ${slot.field} = ${quoteValue(value)}`;
  return (
    <section className={classes.slot} data-testid="slot">
      <button type="button" className={classes.slotHead} aria-expanded={open} onClick={() => setOpen(!open)}>
        <b>{slot.name === '' ? slot.field : slot.name}</b> <span className="soft">{slot.type}</span>
        <span className={classes.slotCount}>
          {distinctText(slot)}
          {!slot.identifier && slot.baseline > 0 && fresh > 0 && `, ${fullCount(fresh)} only in focus`}
        </span>
      </button>
      {open && (
        <>
          <p className={classes.soft}>
            {fieldFinding({ ...slot, identifier: slot.identifier && !measured })}
          </p>
          {measured && <OverTime field={slot.field} pattern={pattern} body={body} />}
          {!slot.identifier &&
            slot.values
              .slice(0, VALUES_SHOWN)
              .map((value) => (
                <ValueRow
                  key={value.value}
                  value={value}
                  field={slot.name === '' ? slot.field : slot.name}
                  ratio={ratio}
                  most={most}
                  onOnly={() => change({ scope: narrow(state.scope, term(value.value)) })}
                  onWithout={() => change({ scope: narrow(state.scope, term(value.value), true) })}
                />
              ))}
        </>
      )}
    </section>
  );
}

/** The values of a slot as a metric: median, 95th percentile and maximum over time. */
function OverTime({ field, pattern, body }: { field: string; pattern: string; body: ReadBody }) {
  const [{ scope, focus, baseline }] = useViewState();
  const steps = `p50(${field}), p95(${field}), max(${field}) every ${stepFor(focus!)}`;
  const summary = useSummary(body, withSteps(narrow(scope, `pattern ${pattern}`), steps));
  const data = summary.data && seriesOf(summary.data, focus!.from - (baseline?.from ?? 0));
  return data ? <Chart data={data} kind="line" height={120} label={`${field} over time`} /> : null;
}

function Samples({ id, body }: { id: string; body: ReadBody }) {
  const scope = narrow(body.scope ?? '', `pattern ${id}`);
  const samples = useAsked(['samples', body, id], (signal) => api.logs({ ...body, scope, limit: 4 }, signal));
  return (
    <section className={classes.part}>
      <h3>Samples</h3>
      {samples.data?.records.map((record) => (
        <div key={record.id} className={classes.sample}>
          <time className="soft">{clockTime(record.time)}</time> <LineText record={record} />
        </div>
      ))}
      {samples.data?.records.length === 0 && <p className={classes.soft}>None in the focus.</p>}
    </section>
  );
}

/** Where and when else it occurs, in all that is held, and whether it is regular. */
function Elsewhere({ id, body }: { id: string; body: ReadBody }) {
  const { dataset = 'live' } = body;
  const [asked, setAsked] = useState(false);
  const places = useAsked(
    ['elsewhere', dataset, id],
    (signal) =>
      api.summary(
        {
          dataset,
          window: { from: '1970-01-02T00:00:00Z', to: '2200-01-01T00:00:00Z' },
          expression: `pattern ${id} then count by service, instance, host then top 12`,
        },
        signal,
      ),
    asked,
  );
  const regular = useAsked(
    ['regularity', dataset, id],
    (signal) => api.regularity({ dataset, scope: `pattern ${id}` }, signal),
    asked,
  );
  return (
    <section className={classes.part}>
      <h3>At all times</h3>
      {!asked && (
        <button type="button" className="word" onClick={() => setAsked(true)}>
          where else, and whether it is regular
        </button>
      )}
      {regular.data && (
        <p className={classes.soft} data-testid="regularity">
          {regularitySentence(regular.data)}
          {(regular.data.missed?.length ?? 0) > 0 &&
            ` Missed: ${regular.data
              .missed!.slice(0, 5)
              .map((one) => dayTime(one))
              .join(', ')}.`}
        </p>
      )}
      {places.data && (
        <table className={classes.places}>
          <tbody>
            {places.data.rows.map((row, index) => (
              <tr key={index}>
                <td>
                  {row
                    .slice(0, -1)
                    .filter((part) => part !== null)
                    .join(' · ')}
                </td>
                <td>{fullCount(Number(row.at(-1)))}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}
