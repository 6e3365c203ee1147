import type { CohortPreset, ContrastAnswer } from '@flail/contract';
import { Select, TextInput } from '@mantine/core';
import { useSearchParams } from 'react-router';
import { plural } from '../format/numbers.js';
import { Choice } from '../frame/Choice.js';
import { KeptCohorts } from './KeptCohorts.js';
import type { useCohorts } from './useCohorts.js';
import classes from './contrast.module.css';

const FIRST: { value: CohortPreset; label: string }[] = [
  { value: 'wrong', label: 'what went wrong' },
  { value: 'failed', label: 'failed' },
  { value: 'refused', label: 'refused' },
  { value: 'hidden', label: 'broken unseen' },
  { value: 'slow', label: 'slow' },
  { value: 'all', label: 'all' },
];
const SECOND: { value: CohortPreset; label: string }[] = [
  { value: 'ok', label: 'went well' },
  { value: 'all', label: 'all others' },
  { value: 'failed', label: 'failed' },
  { value: 'refused', label: 'refused' },
];

/** Which two cohorts are told apart, and how many there are of each. */
export function Cohorts({
  controls,
  answer,
  narrowed,
}: {
  controls: ReturnType<typeof useCohorts>['controls'];
  answer: ContrastAnswer | undefined;
  narrowed: string[];
}) {
  const [parameters, setParameters] = useSearchParams();
  const { items, preset, other, scope, otherScope, within } = controls;
  const count = (of: ContrastAnswer['first'] | undefined): string =>
    of === undefined
      ? ''
      : `${plural(of.kept, items === 'runs' ? 'run' : 'request')}${of.used < of.kept ? `, ${of.used} looked into` : ''}`;
  const turn = (): void =>
    setParameters((before) => {
      const next = new URLSearchParams(before);
      for (const [a, b, x, y] of [
        ['first', 'second', 'wrong', 'ok'],
        ['firstScope', 'secondScope', '', ''],
      ] as const) {
        next.set(a, before.get(b) ?? y);
        next.set(b, before.get(a) ?? x);
      }
      return next;
    });
  return (
    <div className={classes.cohorts}>
      <Choice
        aria-label="What is told apart"
        data={['requests', 'runs']}
        value={items}
        onChange={controls.setItems}
      />
      <span className={classes.cohort} data-cohort="first">
        <i aria-hidden />
        {items === 'requests' ? (
          <OneOf width={138} label="First cohort" data={FIRST} value={preset} onSet={controls.setPreset} />
        ) : (
          'gone wrong'
        )}
        <Own label="A filter of the first cohort alone" value={scope} onSet={controls.setScope} />
        <span className="soft">{count(answer?.first)}</span>
      </span>
      <span className="soft">against</span>
      <span className={classes.cohort} data-cohort="second">
        <i aria-hidden />
        {items === 'requests' ? (
          <OneOf width={112} label="Second cohort" data={SECOND} value={other} onSet={controls.setOther} />
        ) : (
          'done'
        )}
        <OneOf
          width={112}
          label="Time of the second cohort"
          data={[
            { value: 'focus', label: 'in the focus' },
            { value: 'baseline', label: 'in the baseline' },
          ]}
          value={within}
          onSet={controls.setWithin}
        />
        <Own label="A filter of the second cohort alone" value={otherScope} onSet={controls.setOtherScope} />
        <span className="soft">{count(answer?.second)}</span>
      </span>
      <button type="button" className="word" onClick={turn}>
        turn round
      </button>
      <KeptCohorts />
      {narrowed.length > 0 && (
        <span>
          {narrowed.join(', ')}
          <button
            type="button"
            className="word"
            onClick={() => {
              const next = new URLSearchParams(parameters);
              for (const name of ['service', 'operation', 'job', 'slower', 'faster']) next.delete(name);
              setParameters(next);
            }}
          >
            all
          </button>
        </span>
      )}
    </div>
  );
}

/** A filter that is asked with when it is left, so that typing does not ask at each letter. */
const Own = ({ label, value, onSet }: { label: string; value: string; onSet: (value: string) => void }) => (
  <TextInput
    size="xs"
    w={76}
    key={value}
    defaultValue={value}
    aria-label={label}
    placeholder="filter"
    className="mono"
    onBlur={({ currentTarget }) => onSet(currentTarget.value.trim())}
    onKeyDown={(event) => event.key === 'Enter' && onSet(event.currentTarget.value.trim())}
  />
);

function OneOf({
  label,
  data,
  value,
  width,
  onSet,
}: {
  label: string;
  data: { value: string; label: string }[];
  value: string;
  width: number;
  onSet: (value: string) => void;
}) {
  return (
    <Select
      size="xs"
      w={width}
      aria-label={label}
      data={data}
      value={value}
      allowDeselect={false}
      onChange={(next) => next !== null && onSet(next)}
    />
  );
}
