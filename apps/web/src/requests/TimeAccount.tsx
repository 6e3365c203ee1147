import type { RequestAnswer } from '@flail/contract';
import { accountSums } from '@flail/core/requests';
import { percent } from '../format/numbers.js';
import { secondsText } from '../format/figures.js';
import classes from './requests.module.css';

const WORDS: Record<string, string> = {
  own: 'work of',
  call: 'call of',
  waiting: 'waiting of',
  unaccounted: 'not accounted for in',
};

/** A palette that stays apart for the colour-blind; calls are hatched, what is not accounted for is empty. */
const COLOURS = 8;

/** One bar that adds up to the duration of a request, and what its parts are. */
export function TimeAccount({ request }: { request: RequestAnswer }) {
  const { account, duration } = request;
  const sums = accountSums(account);
  const names = [...new Set(sums.map(({ who }) => who))];
  const colourOf = (who: string): number => names.indexOf(who) % COLOURS;
  return (
    <figure className={classes.account} data-testid="account" aria-label="Where the time went">
      <div className={classes.accountBar}>
        {account.map(({ kind, who, from, to, where }, index) => (
          <span
            key={index}
            data-kind={kind}
            data-colour={colourOf(who)}
            style={{ left: `${(100 * from) / duration}%`, width: `${(100 * (to - from)) / duration}%` }}
            title={`${WORDS[kind]} ${who}, ${secondsText(to - from)}${where === undefined ? '' : `: ${where}`}`}
          />
        ))}
      </div>
      <figcaption>
        {sums.slice(0, 8).map(({ kind, who, time }) => (
          <span key={`${kind} ${who}`}>
            <i data-kind={kind} data-colour={colourOf(who)} />
            {WORDS[kind]} {who} <b>{secondsText(time)}</b> {percent(time / duration)}
          </span>
        ))}
      </figcaption>
    </figure>
  );
}
