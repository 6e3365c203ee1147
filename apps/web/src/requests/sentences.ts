import type {
  CountedBody,
  OriginBody,
  RequestAnswer,
  RequestsAnalysisAnswer,
  RequestsSearchAnswer,
  RequestTallyBody,
  SpreadBody,
  TwinAnswer,
} from '@flail/contract';
import { secondsText } from '../format/figures.js';
import { fullCount, percent, plural } from '../format/numbers.js';

/** A count; where it is told from a sample, with how far it may be off. */
export const countText = ({ count, within }: CountedBody): string =>
  within < 0.5
    ? fullCount(Math.round(count))
    : `about ${fullCount(Math.round(count))} (± ${fullCount(Math.round(within))})`;

export const failedShare = ({ all, outcomes }: RequestTallyBody): number =>
  all.count === 0 ? 0 : outcomes.failed.count / all.count;

/** How the requests of the focus went, against the baseline. */
export function requestsFinding({ focus, baseline }: RequestsSearchAnswer): string {
  if (focus.kept === 0) return 'No requests here.';
  const share = failedShare(focus);
  const usual = baseline && baseline.kept > 0 ? failedShare(baseline) : undefined;
  const against = usual === undefined ? '' : `, against ${percent(usual)}`;
  const failing =
    focus.outcomes.failed.count === 0
      ? `none failed${usual === undefined || usual === 0 ? '' : against}`
      : `${percent(share)} failed${against}`;
  const hidden = focus.outcomes.hidden.count;
  const count = countText(focus.all);
  return `${count[0]!.toUpperCase()}${count.slice(1)} requests: ${failing}${
    hidden > 0 ? `; in ${fullCount(Math.round(hidden))} something broke unseen` : ''
  }; ${percent(focus.slow.count / focus.all.count)} were slow.`;
}

/** Where failing begins: which side of the calls fails first. */
export function originFinding({ origins }: RequestsAnalysisAnswer): string {
  const [first] = origins;
  if (!first) return 'No request failed here.';
  const all = first.requests === first.of;
  const count = all
    ? `all ${plural(first.of, 'failing request')}`
    : `${fullCount(first.requests)} of ${fullCount(first.of)} failing requests`;
  return `In ${count} the first to fail is ${first.service}, ${first.operation}${first.message === '' ? '' : ` (“${first.message}”)`}${passedOn(first)}.`;
}

function passedOn({ requests, passedOn: passed }: OriginBody): string {
  if (passed === 0) return '; nothing that asked it failed';
  return passed === requests ? '; what asked it only passes that on' : '';
}

/** How failures spread over the members of one thing. */
export function spreadFinding({ verdict, subset, members, carries, what }: SpreadBody): string {
  if (verdict === 'too few') return `Too few failures to say how they spread over ${what}.`;
  if (verdict === 'all alike') return `All alike by ${what}: ${members.length} carry their part.`;
  const share = carries > 0.9995 ? 'All failures' : `${percent(carries)} of the failures`;
  return `${share} come from ${subset.length} of ${members.length} by ${what}: ${subset.join(', ')}.`;
}

/** What the time of requests that went well is made of. */
export function makeUpFinding({ makeUp }: RequestsAnalysisAnswer): string {
  const [first, second] = makeUp;
  if (!first || first.share < 0.1) return 'No part of their time stands out.';
  const name = (part: typeof first): string => `${part.service} ${part.operation}`;
  const with2 = second && second.share >= 0.1 ? `, ${percent(second.share)} with ${name(second)}` : '';
  return `Of the differences in their time ${percent(Math.min(1, first.share))} go with ${name(first)}${with2}.`;
}

/** What became of one request, and where that began. */
export function requestFinding(request: RequestAnswer): string {
  const { operation, duration, outcome, spans, account } = request;
  const took = `${operation} took ${secondsText(duration)}`;
  const failed = spans.filter((span) => span.failed);
  const origin = failed
    .filter((span) => !failed.some(({ parent }) => parent !== undefined && spans[parent] === span))
    .sort((a, b) => a.to - b.to)[0];
  const began = origin
    ? ` ${outcome === 'hidden' ? 'Something broke unseen' : 'It began'} at ${origin.service}, ${origin.operation}${origin.message === undefined ? '' : ` (“${origin.message}”)`}.`
    : '';
  const ended =
    outcome === 'ok' || outcome === 'hidden'
      ? 'and went well'
      : `and ${outcome === 'failed' ? 'failed' : 'was refused'}`;
  const gap = account
    .filter(({ kind }) => kind === 'unaccounted')
    .sort((a, b) => b.to - b.from - (a.to - a.from))[0];
  const unexplained = gap ? ` ${secondsText(gap.to - gap.from)} are not accounted for: ${gap.where}.` : '';
  return `${took} ${ended}.${began}${unexplained}`;
}

/** Beside which job's runs requests like this are slow. */
export function besideFinding({ beside }: TwinAnswer): string {
  const [first] = beside;
  if (!first) return '';
  const { job, slow, ofSlow, others, ofOthers } = first;
  return `Of ${plural(ofSlow, 'slow request')} of this operation ${percent(slow / ofSlow)} ran beside a run of ${job}; of the others ${percent(others / Math.max(1, ofOthers))}.`;
}

/** What tells a request from the healthy one most like it. */
export function twinFinding({ twin, differences, among }: TwinAnswer): string {
  if (!twin) return 'No healthy request of this operation is near enough to compare with.';
  const calls = differences.find(({ kind, likeOwn }) => kind === 'calls' && likeOwn < 0.5);
  const field = differences.find(({ kind, likeOwn }) => kind === 'field' && likeOwn < 0.1);
  const time = differences.find(({ kind, likeOwn }) => kind === 'time' && likeOwn < 0.5);
  const parts = [
    ...(field
      ? [
          `${field.what} is ${field.own === '' ? 'absent' : String(field.own)}, not ${field.twin === '' ? 'absent' : String(field.twin)}`,
        ]
      : []),
    ...(time && !calls
      ? [`${secondsText(Number(time.own))} of its own in ${time.what}, not ${secondsText(Number(time.twin))}`]
      : []),
    ...(calls ? [`${String(calls.own)} times ${calls.what}, not ${String(calls.twin)}`] : []),
  ];
  const of = `The most like of ${plural(among, 'healthy request')} took ${secondsText(twin.duration)}`;
  return parts.length === 0
    ? `${of}; nothing tells them apart.`
    : `${of}; what tells them apart: ${parts.join('; ')}.`;
}
