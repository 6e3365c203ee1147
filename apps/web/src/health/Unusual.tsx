import type { OnsetsSearchAnswer, WindowBody } from '@flail/contract';
import { useQuery } from '@tanstack/react-query';
import { Link, useSearchParams } from 'react-router';
import { api } from '../api/client.js';
import { useHeldMark } from '../api/queries.js';
import { carriedParameters } from '../context/view-state.js';
import { plural } from '../format/numbers.js';
import { GLYPHS, groupName, onsetTime, sizeText } from '../onsets/sentences.js';
import classes from './health.module.css';

const SHOWN = 7;
/** Looking through all series takes seconds: now and then is often enough. */
const AGAIN_MS = 120_000;

interface Props {
  dataset: string;
  window: WindowBody;
  baseline: WindowBody;
  /** Whether it is asked for already. */
  settled: boolean;
}

/** What is unusual over metrics, requests and patterns: fed by the onsets, the likeliest origin first. */
export function Unusual({ dataset, window, baseline, settled }: Props) {
  const [parameters] = useSearchParams();
  const body = { dataset, window, baseline, scope: '' };
  const mark = useHeldMark();
  const onsets = useQuery<OnsetsSearchAnswer>({
    queryKey: ['onsets', body, mark],
    queryFn: ({ signal }) => api.onsets(body, () => undefined, signal),
    enabled: settled,
    refetchInterval: AGAIN_MS,
    staleTime: 60_000,
    placeholderData: (before) => before,
  });
  return (
    <section className={classes.part} data-testid="unusual">
      <h3>What is unusual</h3>
      {onsets.isPending && <p className="soft">Looking through all series.</p>}
      {onsets.isError && <p role="alert">{onsets.error.message}</p>}
      {onsets.data && onsets.data.groups.length === 0 && (
        <p>Nothing, of {plural(onsets.data.scanned, 'series', 'series')} looked at.</p>
      )}
      {onsets.data?.origins.slice(0, SHOWN).map(({ group }) => {
        const one = onsets.data.groups[group]!;
        const address = carriedParameters(parameters);
        address.set('row', String(group));
        if (!address.has('focus')) address.set('focus', `${window.from}~${window.to}`);
        return (
          <p key={groupName(one)} className={classes.unusual}>
            <span aria-hidden>{GLYPHS[one.kind]}</span> <span className="soft">{onsetTime(one.onset)}</span>{' '}
            <Link to={`/onsets?${address.toString()}`}>{groupName(one)}</Link>{' '}
            <span className="soft">{sizeText(one)}</span>
          </p>
        );
      })}
      {onsets.data && onsets.data.groups.length > SHOWN && (
        <p className="soft">and {onsets.data.groups.length - SHOWN} more on the ladder of Onsets</p>
      )}
    </section>
  );
}
