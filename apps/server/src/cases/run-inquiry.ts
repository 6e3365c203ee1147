import type { Window } from '@flail/core';
import { isFinal, type Run, wentWrong, wrongSince, type WrongSince } from '@flail/core/runs';
import { Injectable } from '@nestjs/common';
import { ContrastService } from '../contrast/contrast.service.js';
import { ChangesService } from '../events/changes.service.js';
import { addressOf } from '../query/address.js';
import type { Asked } from '../query/planner.js';
import { RunsService } from '../runs/runs.service.js';
import { contrastOf } from './findings-of.js';
import type { Inquiry } from './inquiry.js';
import { brokeOf, changesBefore, runsOf, runsSpread } from './run-findings.js';

const HOUR = 3_600_000_000;
/** Runs tell since when from so long before the end of the focus. */
const PAST = 60 * 24 * HOUR;
/** A change so long before the first that went wrong may be its cause. */
const CLOSE = 6 * HOUR;
/** What is told of the same minute may be told a little later. */
const MINUTE = 60_000_000;
const MOST_CHANGES = 500;

/** The standard questions of the runs of a job that go wrong. */
@Injectable()
export class RunInquiry {
  constructor(
    private readonly runs: RunsService,
    private readonly changes: ChangesService,
    private readonly contrasts: ContrastService,
  ) {}

  of(asked: Asked, job: string): Inquiry {
    const { dataset, asker, window, baseline } = asked;
    let own: Run[] = [];
    let began: WrongSince | undefined;
    let first = window.from;
    const at = (path: string, more: Record<string, string>, of: Window = window): string =>
      addressOf({ ...asked, window: of }, path, more);
    const endedIn = async (of: Window): Promise<Run[]> =>
      (await this.runs.plain(dataset, asker, of, { job })).filter(({ state }) => isFinal(state));
    const steps: Inquiry['steps'] = [
      {
        question: 'How many runs go wrong, since when, and of which?',
        ask: async () => {
          const past = await endedIn({ from: window.to - PAST, to: window.to });
          own = past.filter(({ to }) => to === undefined || to >= window.from);
          first = Math.min(...past.map(({ from }) => from), window.from);
          // What began to go wrong at another time is another story.
          const rose = wrongSince(past);
          began = rose && own.some((run) => wentWrong(run.state) && run.from >= rose.at) ? rose : undefined;
          const before = began || !baseline ? [] : await endedIn(baseline);
          const address = at('/runs', { job, which: 'wrong' });
          return [runsOf(job, own, before, began), ...runsSpread(own, window.to)].map((finding) => ({
            finding,
            address,
          }));
        },
      },
      {
        question: 'Where do they break off?',
        ask: () =>
          Promise.resolve(
            brokeOf(own).map((finding) => ({ finding, address: at('/runs', { job, which: 'wrong' }) })),
          ),
      },
      {
        question: 'What changed before it?',
        ask: async () => {
          const near = began && { from: began.at - CLOSE, to: began.at + MINUTE };
          const found = near
            ? await this.changes.search(dataset, asker, near, MOST_CHANGES)
            : { changes: [] };
          return changesBefore(job, found.changes, own, began).map((finding) => ({
            finding,
            address: at('/changes', finding.kind === 'change' ? { change: finding.id } : {}, near),
          }));
        },
      },
      {
        question: 'What sets those that went wrong apart from the good ones?',
        ask: async () => {
          // As long before they began to as since then, so that what they were before is among the good ones.
          const of = began ? { from: Math.max(first, 2 * began.at - window.to), to: window.to } : window;
          const found = await this.contrasts.contrast(
            { ...asked, window: of },
            { items: 'runs', first: { job }, second: { job } },
          );
          return contrastOf(found).map((finding) => ({
            finding,
            address: at('/contrast', { items: 'runs', job }, of),
          }));
        },
      },
    ];
    return {
      steps,
      baseline: () => began && { from: Math.max(first, began.at - (window.to - window.from)), to: began.at },
    };
  }
}
