import type { QuestionPartBody, RequestPreset } from '@flail/contract';
import type { Understood } from '@flail/core/questions';
import { worstFirst } from '@flail/core/requests';
import { Injectable } from '@nestjs/common';
import { addressOf } from '../query/address.js';
import type { Asked } from '../query/planner.js';
import { RequestsService } from '../requests/requests.service.js';
import { counted, dayClock, operationIn, seconds, share, table, WORDS } from './answer-text.js';

/** Only the figures, no request of the list. */
const TALLIES = { preset: 'all', order: 'newest', limit: 0, offset: 0, steps: 1 } as const;

/** Answers what is asked of requests. */
@Injectable()
export class RequestAnswers {
  constructor(private readonly requests: RequestsService) {}

  async wrong(asked: Asked, understood: Understood): Promise<QuestionPartBody> {
    const { by, wrong = 'failed' } = understood;
    const which = operationIn(understood);
    if (by === undefined) return this.operationsWrong(asked, wrong);
    const { values, looked, of } = await this.requests.byField(asked, { field: by, wrong, ...which });
    const worst = values.filter((one) => one.wrong > 0);
    const [first] = worst;
    const part =
      looked < of ? ` Told from the newest ${counted(looked)} of ${counted(of)} that are kept.` : '';
    return {
      text: first
        ? `${first.value} is the worst ${by}: ${share(first.wrong, first.all)} of its requests ${WORDS[wrong]}, ${counted(first.wrong)} of ${counted(first.all)}.${part}`
        : values.length === 0
          ? `No request of this time has the field ${by}.`
          : `No request of this time ${wrong === 'failed' ? 'failed' : wrong === 'slow' ? 'was slow' : 'was refused'}.`,
      ...table([by, WORDS[wrong], 'requests', 'share'], worst, (one) => [
        one.value,
        Math.round(one.wrong),
        Math.round(one.all),
        share(one.wrong, one.all),
      ]),
      view: 'Requests',
      address: addressOf(asked, '/requests', { which: wrong }),
    };
  }

  private async operationsWrong(
    asked: Asked,
    wrong: 'failed' | 'refused' | 'slow',
  ): Promise<QuestionPartBody> {
    if (wrong === 'slow') return this.slowest(asked);
    const { operations } = await this.requests.search(asked, TALLIES);
    const rows = worstFirst(
      operations.map(({ service, operation, focus }) => ({
        name: `${service} ${operation}`,
        all: focus.requests,
        wrong: focus[wrong],
      })),
    ).filter((one) => one.wrong > 0);
    const [first] = rows;
    return {
      text: first
        ? `${first.name} is the worst operation: ${share(first.wrong, first.all)} of its requests ${WORDS[wrong]}, ${counted(first.wrong)} of ${counted(first.all)}.`
        : 'No operation has requests that went wrong in this time.',
      ...table(['operation', WORDS[wrong], 'requests', 'share'], rows, (one) => [
        one.name,
        Math.round(one.wrong),
        Math.round(one.all),
        share(one.wrong, one.all),
      ]),
      view: 'Requests',
      address: addressOf(asked, '/requests', { which: wrong }),
    };
  }

  async howMany(asked: Asked, understood: Understood): Promise<QuestionPartBody> {
    const { wrong } = understood;
    const { focus, baseline } = await this.requests.search(asked, {
      ...TALLIES,
      ...operationIn(understood),
    });
    const of = (one: typeof focus): number =>
      (wrong === undefined ? one.all : wrong === 'slow' ? one.slow : one.outcomes[wrong]).count;
    const before = baseline && wrong ? `, ${share(of(baseline), baseline.all.count)} in the baseline` : '';
    return {
      text: wrong
        ? `${counted(of(focus))} of ${counted(focus.all.count)} requests ${WORDS[wrong]}: ${share(of(focus), focus.all.count)}${before}.`
        : `${counted(focus.all.count)} requests${baseline ? `, ${counted(baseline.all.count)} in the baseline` : ''}.`,
      view: 'Requests',
      address: addressOf(asked, '/requests', wrong ? { which: wrong } : {}),
    };
  }

  /** The first or the last of them. */
  async edge(asked: Asked, understood: Understood): Promise<QuestionPartBody> {
    const { asks, wrong } = understood;
    const first = asks === 'first';
    const preset: RequestPreset = wrong ?? 'all';
    const { requests, matched } = await this.requests.search(asked, {
      preset,
      ...operationIn(understood),
      order: first ? 'oldest' : 'newest',
      limit: 1,
      offset: 0,
      steps: 1,
    });
    const [found] = requests;
    return {
      text: found
        ? `The ${asks} of ${counted(matched)}: ${dayClock(found.time)}, ${found.service} ${found.operation}.`
        : 'No request of this time is like that.',
      view: 'Requests',
      address: addressOf(asked, '/requests', { which: preset }),
    };
  }

  async slowest(asked: Asked): Promise<QuestionPartBody> {
    const { operations } = await this.requests.search(asked, TALLIES);
    const rows = operations
      .flatMap(({ service, operation, focus, baseline }) =>
        focus.p95 === undefined
          ? []
          : [{ name: `${service} ${operation}`, p50: focus.p50, p95: focus.p95, before: baseline.p95 }],
      )
      .sort((a, b) => b.p95 - a.p95);
    const [first] = rows;
    return {
      text: first
        ? `${first.name} takes longest: ${seconds(first.p95)} at the 95th percentile${first.before === undefined ? '' : `, ${seconds(first.before)} in the baseline`}.`
        : 'No requests are recorded in this time.',
      ...table(['operation', 'median', 'p95', 'p95 in the baseline'], rows, ({ name, p50, p95, before }) => [
        name,
        seconds(p50),
        seconds(p95),
        seconds(before),
      ]),
      view: 'Requests',
      address: addressOf(asked, '/requests', { which: 'slow' }),
    };
  }
}
