import type { ChangesSearchAnswer } from '@flail/contract';
import type { Finding } from '@flail/core/cases';
import { topFrame } from '@flail/core/contrast';
import { type Run, tallyOf, type WrongSince, wentWrong } from '@flail/core/runs';
import { microsOf, momentText } from '@flail/core/time';

const SECOND = 1_000_000;
const SHOWN_CHANGES = 3;

/** How many runs of a job went wrong, and since when more than before. */
export function runsOf(
  job: string,
  runs: readonly Run[],
  before: readonly Run[],
  began: WrongSince | undefined,
): Finding {
  const failed = runs.filter(({ state }) => state === 'failed').length;
  const withErrors = runs.filter(({ state }) => state === 'done with errors').length;
  if (failed + withErrors === 0)
    return {
      kind: 'nothing',
      question: 'What goes wrong?',
      why:
        runs.length === 0
          ? `No run of ${job} is recorded in this time.`
          : `None of ${runs.length} runs of ${job} went wrong.`,
    };
  const usual =
    began?.before ??
    (before.length > 0 && {
      wrong: before.filter(({ state }) => wentWrong(state)).length,
      all: before.length,
    });
  return {
    kind: 'runs',
    job,
    failed,
    withErrors,
    all: runs.length,
    ...(began && { since: momentText(began.at) }),
    ...(usual && { usual }),
  };
}

/** By which values of a parameter runs go wrong. */
export function runsSpread(runs: readonly Run[], until: number): Finding[] {
  const [tally] = tallyOf(runs, until);
  if (tally?.spread.verdict !== 'a subset' || tally.parameter === '') return [];
  const { subset, members, carries } = tally.spread;
  return [
    {
      kind: 'spread',
      field: tally.parameter,
      subset: subset.map(({ name }) => name),
      of: members.length,
      carries,
    },
  ];
}

/** Where most of those that failed broke off, and with what. */
export function brokeOf(runs: readonly Run[]): Finding[] {
  const failed = runs.filter(({ state }) => state === 'failed');
  const places = new Map<string, { step: string; error: string; frame?: string; count: number }>();
  for (const { steps, error } of failed) {
    const step = steps.find(({ state }) => state === 'failed');
    const frame = topFrame(error?.stack ?? step?.error ?? '');
    const said = error?.message ?? step?.error;
    if (said === undefined) continue;
    // What is told of each differs in what it was given; where it broke does not.
    const key = JSON.stringify([step?.name, frame ?? said]);
    const known = places.get(key);
    if (known) known.count++;
    else
      places.set(key, {
        step: step?.name ?? '',
        error: said,
        ...(frame !== undefined && { frame }),
        count: 1,
      });
  }
  const [most] = [...places.values()].sort((a, b) => b.count - a.count);
  return most ? [{ kind: 'broke', ...most, of: failed.length }] : [];
}

/** What was changed of the services of a job shortly before its runs began to go wrong, the nearest first. */
export function changesBefore(
  job: string,
  changes: ChangesSearchAnswer['changes'],
  runs: readonly Run[],
  began: WrongSince | undefined,
): Finding[] {
  const question = 'What changed before it?';
  if (!began)
    return [
      {
        kind: 'nothing',
        question,
        why: 'Since when more of them go wrong is not told by the runs that are recorded.',
      },
    ];
  const services = new Set(runs.flatMap(({ entity }) => entity.service ?? []));
  const near = changes.filter(({ entity, kind }) => services.has(entity.service ?? '') && kind !== 'restart');
  if (near.length === 0)
    return [
      {
        kind: 'nothing',
        question,
        why: `No change of ${[...services].join(', ') || job} that was told of stands close before the first of them.`,
      },
    ];
  return near
    .reverse()
    .slice(0, SHOWN_CHANGES)
    .map(({ id, title, entity, time }) => ({
      kind: 'change',
      id,
      title,
      service: entity.service ?? '',
      time,
      seconds: Math.max(0, (began.at - microsOf(time)) / SECOND),
      before: `the first run of ${job} went wrong`,
    }));
}
