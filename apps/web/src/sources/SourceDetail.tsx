import type { SourceSummary } from '@flail/contract';
import { narrow } from '@flail/core/expression';
import { Button, NumberInput } from '@mantine/core';
import { useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { useNavigate, useSearchParams } from 'react-router';
import { api } from '../api/client.js';
import { carriedParameters, useViewState, writeState } from '../context/view-state.js';
import { byteCount, fullCount, plural } from '../format/numbers.js';
import { dayTime } from '../format/times.js';
import { Failure } from '../states/States.js';
import { Correction } from './Correction.js';
import classes from './sources.module.css';

/** What is known of one source, and what can be said about it. */
export function SourceDetail({ source }: { source: SourceSummary }) {
  const [state] = useViewState();
  const [parameters] = useSearchParams();
  const navigate = useNavigate();
  const openLines = (): void => {
    const scope = narrow(state.scope, `source = ${JSON.stringify(source.name)}`);
    const next = writeState(carriedParameters(parameters), { scope });
    void navigate(`/logs?${next.toString()}`, {
      state: { carried: `lines of ${source.name}, from Sources` },
    });
  };
  return (
    <div className={classes.parts}>
      <div>
        <h3>What came</h3>
        <ul className={classes.facts}>
          {source.warnings.map((warning) => (
            <li key={warning} className={classes.warning}>
              {warning}
            </li>
          ))}
          <li>
            {fullCount(source.records)} records, {byteCount(source.bytes)}
            {source.window && `, of ${dayTime(source.window.from)} to ${dayTime(source.window.to)}`}.
          </li>
          {source.problems.map(({ message, count, sample }) => (
            <li key={message}>
              {plural(count, 'line')}: {message}
              {sample !== undefined && <code className={classes.sample}>{sample}</code>}
            </li>
          ))}
          {source.problems.length === 0 && <li>Every line could be read.</li>}
        </ul>
        {source.signal === 'logs' && (
          <button type="button" className="word" onClick={openLines}>
            open its lines
          </button>
        )}
      </div>
      {source.signal === 'logs' && <Correction source={source} />}
      {source.signal === 'logs' && <Retention source={source} />}
    </div>
  );
}

/** How long its records are kept. */
function Retention({ source }: { source: SourceSummary }) {
  const client = useQueryClient();
  const [{ dataset }] = useViewState();
  const known = source.retention?.maxAgeHours;
  const [days, setDays] = useState<number | string>(known === undefined ? '' : known / 24);
  const [failure, setFailure] = useState<Error>();
  const wanted = days === '' ? undefined : Number(days) * 24;
  const save = async (): Promise<void> => {
    try {
      await api.retain(dataset, source.name, wanted === undefined ? {} : { maxAgeHours: wanted });
      setFailure(undefined);
      await client.invalidateQueries({ queryKey: ['sources'] });
    } catch (error) {
      setFailure(error as Error);
    }
  };
  return (
    <div>
      <h3>How long it is kept</h3>
      {failure && <Failure error={failure} onRetry={() => void save()} />}
      <div className={classes.line}>
        <NumberInput
          size="xs"
          w={110}
          aria-label="Days"
          placeholder="for ever"
          suffix=" days"
          min={0.1}
          max={3650}
          value={days}
          onChange={setDays}
        />
        {wanted !== known && (
          <Button size="xs" variant="outline" onClick={() => void save()}>
            {wanted === undefined ? 'keep all' : 'forget what is older'}
          </Button>
        )}
      </div>
    </div>
  );
}
