import type { SuspectAnswer } from '@flail/contract';
import { failingFollows, type Sibling, slownessFollows } from '@flail/core/impact';
import { quantiles } from '@flail/core/requests';
import { momentText } from '@flail/core/time';
import type { Subject, SuspectQuestion } from './analysis-tasks.js';
import type { RequestData } from './request-data.js';

/** Requests whose spans are looked at, at most; of more the newest. */
const MOST = 20_000;
const STEPS = 24;

interface Call {
  at: number;
  seconds: number;
  failed: boolean;
  weight: number;
}

/** A suspect and its siblings side by side: what each was asked in the focus, and whether the symptom follows it. */
export async function suspect(
  data: RequestData,
  subject: Subject,
  { service, field, value }: SuspectQuestion,
): Promise<Omit<SuspectAnswer, 'missing'>> {
  const { window } = subject;
  const requests = (await data.requests(subject, window)).slice(-MOST);
  const trees = await data.trees(subject, window, new Set(requests.map(({ trace }) => trace)));
  const calls = new Map<string, Call[]>([[value, []]]);
  for (const { nodes } of trees.values())
    for (const { span } of nodes) {
      if (span.service !== service || (span.kind !== 'server' && span.kind !== 'consumer')) continue;
      const name = span.sender[field];
      if (name === undefined) continue;
      const call = {
        at: span.from,
        seconds: (span.to - span.from) / 1e6,
        failed: span.failed,
        weight: span.weight,
      };
      const own = calls.get(name);
      if (own) own.push(call);
      else calls.set(name, [call]);
    }
  const siblings = [...calls].map(([name, own]): Sibling => ({
    name,
    calls: own.length,
    failed: own.filter(({ failed }) => failed).length,
    seconds: own.flatMap(({ failed, seconds }) => (failed ? [] : [seconds])),
  }));
  const width = (window.to - window.from) / STEPS;
  return {
    failing: failingFollows(siblings, value),
    slowness: finite(slownessFollows(siblings, value)),
    from: momentText(window.from),
    step: width / 1e6,
    siblings: [...calls]
      .map(([name, own]) => {
        const steps = Array.from({ length: STEPS }, (_, step) =>
          own.filter(({ at }) => Math.floor((at - window.from) / width) === step),
        );
        const [p50, p95] = quantiles(own, [0.5, 0.95]);
        return {
          name,
          calls: own.length,
          failed: own.filter(({ failed }) => failed).length,
          ...(own.length > 0 && { p50: p50!, p95: p95! }),
          failedShare: steps.map((part) =>
            part.length === 0 ? null : part.filter(({ failed }) => failed).length / part.length,
          ),
          slowest: steps.map((part) =>
            part.length === 0 ? null : part.reduce((most, { seconds }) => Math.max(most, seconds), 0),
          ),
        };
      })
      .sort((a, b) => Number(b.name === value) - Number(a.name === value) || a.name.localeCompare(b.name)),
  };
}

/** JSON has no NaN: medians of nothing are 0. */
const finite = <T extends { own: number; others: number }>(follows: T): T => ({
  ...follows,
  own: Number.isNaN(follows.own) ? 0 : follows.own,
  others: Number.isNaN(follows.others) ? 0 : follows.others,
});
