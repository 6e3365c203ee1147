import type { QuestionPartBody } from '@flail/contract';
import type { Understood } from '@flail/core/questions';
import { worstFirst } from '@flail/core/requests';
import { isFinal, type Run, wentWrong, wrongSince } from '@flail/core/runs';
import { momentText } from '@flail/core/time';
import { Injectable } from '@nestjs/common';
import { addressOf } from '../query/address.js';
import type { Asked } from '../query/planner.js';
import { RunsService } from '../runs/runs.service.js';
import { counted, dayClock, duration, share, table } from './answer-text.js';

/** Answers what is asked of runs. */
@Injectable()
export class RunAnswers {
  constructor(private readonly runs: RunsService) {}

  async wrong(asked: Asked, { by, job }: Understood): Promise<QuestionPartBody> {
    const runs = await this.of(asked, job);
    const valueOf = (run: Run): string | undefined =>
      by === undefined ? run.job : (run.parameters[by] ?? run.entity[by]);
    const tallies = new Map<string, { value: string; all: number; wrong: number }>();
    for (const run of runs) {
      const value = valueOf(run);
      if (value === undefined) continue;
      let tally = tallies.get(value);
      if (!tally) tallies.set(value, (tally = { value, all: 0, wrong: 0 }));
      tally.all++;
      if (wentWrong(run.state)) tally.wrong++;
    }
    const worst = worstFirst([...tallies.values()]).filter(({ wrong }) => wrong > 0);
    const [first] = worst;
    const name = by ?? 'job';
    return {
      text: first
        ? `Of runs${job === undefined ? '' : ` of ${job}`}, ${first.value} is the worst ${name}: ${share(first.wrong, first.all)} failed or ended with errors, ${first.wrong} of ${first.all}.`
        : `No run of this time${job === undefined ? '' : ` of ${job}`} failed${by === undefined ? '' : `, as far as ${by} is told`}.`,
      ...table([name, 'went wrong', 'runs', 'share'], worst, ({ value, wrong, all }) => [
        value,
        wrong,
        all,
        share(wrong, all),
      ]),
      view: 'Runs',
      address: at(asked, job),
    };
  }

  async howMany(asked: Asked, understood: Understood): Promise<QuestionPartBody> {
    const { job, wrong } = understood;
    const runs = await this.of(asked, job);
    const bad = runs.filter(({ state }) => wentWrong(state)).length;
    const going = runs.filter(({ state }) => !isFinal(state)).length;
    return {
      text: wrong
        ? `${counted(bad)} of ${counted(runs.length)} runs failed or ended with errors.`
        : `${counted(runs.length)} runs, of which ${counted(bad)} went wrong and ${counted(going)} have not ended.`,
      view: 'Runs',
      address: at(asked, job),
    };
  }

  /** The first or the last of them; of those that went wrong, also since when more of them do. */
  async edge(asked: Asked, { asks, wrong, job }: Understood): Promise<QuestionPartBody> {
    const all = await this.of(asked, job);
    const own = wrong ? all.filter(({ state }) => wentWrong(state)) : all;
    const found = asks === 'first' ? own[0] : own.at(-1);
    const rose = wrong && asks === 'first' && job !== undefined ? wrongSince(all) : undefined;
    const since = rose
      ? ` More of them go wrong since ${dayClock(momentText(rose.at))}: ${share(rose.since.wrong, rose.since.all)}, ${share(rose.before.wrong, rose.before.all)} before.`
      : '';
    return {
      text: found
        ? `The ${asks} of ${counted(own.length)}${wrong ? ' that went wrong' : ''}: ${dayClock(momentText(found.from))}, ${runText(found)}.${since}`
        : `No run of this time${job === undefined ? '' : ` of ${job}`}${wrong ? ' went wrong' : ''}.`,
      view: 'Runs',
      address: at(asked, job, wrong ? { which: 'wrong' } : {}),
    };
  }

  async stuck(asked: Asked): Promise<QuestionPartBody> {
    const stuck = await this.runs.stuck(asked.dataset, asked.asker, asked.window);
    const [first] = stuck;
    return {
      text: first
        ? `${first.job} is stuck: ${first.state} for ${duration(first.time)}, usually ${duration(first.usual)}.`
        : 'No run is stuck.',
      ...table(['job', 'state', 'for', 'usually'], stuck, ({ job, state, time, usual }) => [
        job,
        state,
        duration(time),
        duration(usual),
      ]),
      view: 'Runs',
      address: at(asked, undefined),
    };
  }

  private of({ dataset, asker, window }: Asked, job: string | undefined): Promise<Run[]> {
    return this.runs.plain(dataset, asker, window, { ...(job !== undefined && { job }) });
  }
}

/** The view of runs has no scope. */
const at = (asked: Asked, job: string | undefined, more: Record<string, string> = {}): string =>
  addressOf({ ...asked, scope: '' }, '/runs', { ...(job !== undefined && { job }), ...more });

function runText({ job, parameters, state }: Run): string {
  const told = Object.values(parameters).join(', ');
  return `${job}${told === '' ? '' : ` (${told})`}, ${state}`;
}
