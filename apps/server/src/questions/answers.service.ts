import type { QuestionPartBody, RequestPreset } from '@flail/contract';
import { findingText } from '@flail/core/cases';
import { stepsOf, type Understood } from '@flail/core/questions';
import { worstFirst } from '@flail/core/requests';
import { isFinal, type Run, wentWrong } from '@flail/core/runs';
import { Injectable } from '@nestjs/common';
import { contrastOf, onsetsOf } from '../cases/findings-of.js';
import { InvestigationService } from '../cases/investigation.service.js';
import { ContrastService } from '../contrast/contrast.service.js';
import { ChangesService } from '../events/changes.service.js';
import { OnsetsService } from '../onsets/onsets.service.js';
import { addressOf } from '../query/address.js';
import { PatternsService } from '../query/patterns.service.js';
import type { Asked } from '../query/planner.js';
import { QueryService } from '../query/query.service.js';
import { SummaryService } from '../query/summary.service.js';
import { RequestsService } from '../requests/requests.service.js';
import { RunsService } from '../runs/runs.service.js';

const ROWS = 10;
const PATTERNS = 60;
const MOST_CHANGES = 200;
/** Only the figures, no request of the list. */
const TALLIES = { preset: 'all', order: 'newest', limit: 0, offset: 0, steps: 1 } as const;
const WORDS = { failed: 'fail', refused: 'are refused', slow: 'are slow' } as const;

/** Answers a question that was understood, each kind by the computation of the view that it belongs to. */
@Injectable()
export class AnswersService {
  constructor(
    private readonly queries: QueryService,
    private readonly summaries: SummaryService,
    private readonly patterns: PatternsService,
    private readonly requests: RequestsService,
    private readonly runs: RunsService,
    private readonly onsets: OnsetsService,
    private readonly changes: ChangesService,
    private readonly contrasts: ContrastService,
    private readonly investigations: InvestigationService,
  ) {}

  /** @param asked with the windows of the question, and its filter */
  async parts(asked: Asked, understood: Understood): Promise<QuestionPartBody[]> {
    switch (understood.asks) {
      case 'which go wrong':
        return this.whichGoWrong(asked, understood);
      case 'which are most':
        return [await this.whichAreMost(asked, understood)];
      case 'how many':
        return [await this.howMany(asked, understood)];
      case 'first':
      case 'last':
        return [await this.atTheEdge(asked, understood)];
      case 'moved':
        return [await this.moved(asked, understood)];
      case 'changed':
        return [await this.changed(asked, understood)];
      case 'new':
        return [await this.fresh(asked)];
      case 'apart':
        return [await this.apart(asked, understood)];
      case 'why':
        // An investigation is of requests, or of the runs of one job; of all runs, what sets the failed ones apart.
        return [
          await (understood.of === 'runs' && understood.job === undefined
            ? this.apart(asked, understood)
            : this.why(asked, understood.of === 'runs' ? understood.job! : '')),
        ];
      case 'slowest':
        return [await this.slowest(asked)];
      case 'stuck':
        return [await this.stuck(asked)];
      case 'show':
        return [await this.shown(asked, understood)];
    }
  }

  /** By a field that requests and runs both have, where the question does not say of which, both are told. */
  private async whichGoWrong(asked: Asked, understood: Understood): Promise<QuestionPartBody[]> {
    if (understood.of === 'runs') return [await this.runsWrong(asked, understood)];
    const requests = await this.requestsWrong(asked, understood);
    if (understood.saidOf || understood.by === undefined) return [requests];
    const runs = await this.runsWrong(asked, understood);
    return [requests, runs].filter(({ rows }, at) => at === 0 || (rows?.length ?? 0) > 0);
  }

  private async requestsWrong(asked: Asked, understood: Understood): Promise<QuestionPartBody> {
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

  private async runsWrong(asked: Asked, { by, job }: Understood): Promise<QuestionPartBody> {
    const runs = await this.runs.plain(asked.dataset, asked.asker, asked.window, {
      ...(job !== undefined && { job }),
    });
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
      address: addressOf({ ...asked, scope: '' }, '/runs', job === undefined ? {} : { job }),
    };
  }

  private async whichAreMost(asked: Asked, understood: Understood): Promise<QuestionPartBody> {
    const steps = stepsOf(understood);
    const by = understood.by ?? 'service';
    const { scope, ...elsewhere } = asked;
    const { rows, matched } = await this.summaries.summary(elsewhere, `${scope} then ${steps}`.trim());
    const [first] = rows;
    return {
      text: first
        ? `${String(first[0] ?? 'none')} has most: ${counted(Number(first[1]))} of ${counted(matched)} lines.`
        : 'No line of this time matches.',
      ...table([by, 'lines'], rows, ([value, lines]) => [String(value ?? '(none)'), Number(lines)]),
      view: 'Logs',
      address: addressOf(asked, '/logs', { show: 'table', then: steps }),
    };
  }

  private async howMany(asked: Asked, understood: Understood): Promise<QuestionPartBody> {
    if (understood.of === 'runs') {
      const { job, wrong } = understood;
      const runs = await this.runs.plain(asked.dataset, asked.asker, asked.window, {
        ...(job !== undefined && { job }),
      });
      const bad = runs.filter(({ state }) => wentWrong(state)).length;
      const going = runs.filter(({ state }) => !isFinal(state)).length;
      return {
        text: wrong
          ? `${counted(bad)} of ${counted(runs.length)} runs failed or ended with errors.`
          : `${counted(runs.length)} runs, of which ${counted(bad)} went wrong and ${counted(going)} have not ended.`,
        view: 'Runs',
        address: addressOf({ ...asked, scope: '' }, '/runs', job === undefined ? {} : { job }),
      };
    }
    if (understood.of === 'requests') {
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
    const { focus, baseline, anyTime } = await this.queries.count(asked);
    return {
      text: `${counted(focus)} lines in this time${asked.baseline ? `, ${counted(baseline)} in the baseline` : ''}; ${counted(anyTime)} in all that is held.`,
      view: 'Logs',
      address: addressOf(asked, '/logs'),
    };
  }

  private async atTheEdge(asked: Asked, understood: Understood): Promise<QuestionPartBody> {
    const { asks, of, wrong } = understood;
    const first = asks === 'first';
    if (of === 'requests') {
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
    const { records } = await this.queries.search(asked, first ? 'oldest' : 'newest', 1);
    const [found] = records;
    const { focus } = found ? await this.queries.count(asked) : { focus: 0 };
    return {
      text: found
        ? `${first ? 'First' : 'Last'} at ${dayClock(found.time)}, by ${found.service === '' ? found.source : found.service}: “${found.text}”. ${counted(focus)} lines like it in this time.`
        : 'No line of this time matches.',
      view: 'Logs',
      address: addressOf(asked, '/logs', { lines: first ? 'oldest' : 'newest' }),
    };
  }

  private async moved(asked: Asked, { service, wrong }: Understood): Promise<QuestionPartBody> {
    const answer = await this.onsets.search({ ...asked, scope: '' });
    const own = answer.groups.filter(
      (group) =>
        (service === undefined || group.service === service) &&
        (wrong !== 'failed' || group.kind === 'errors') &&
        (wrong !== 'slow' || group.kind === 'latency'),
    );
    const [first] = own;
    const [origin] = onsetsOf(answer);
    return {
      text: first
        ? `${first.measure}${first.service === '' ? '' : ` of ${first.service}`} moved first of these, at ${dayClock(first.onset)}.${
            service === undefined && wrong === undefined && origin
              ? ` The likeliest origin: ${findingText(origin.finding)}`
              : ''
          }`
        : 'Nothing of that left its normal range in this time.',
      ...table(['since', 'service', 'measure', 'kind'], own, ({ onset, service: of, measure, kind }) => [
        onset.slice(11, 19),
        of,
        measure,
        kind,
      ]),
      view: 'Onsets',
      address: addressOf({ ...asked, scope: '' }, '/onsets'),
    };
  }

  private async changed(asked: Asked, { service }: Understood): Promise<QuestionPartBody> {
    const { changes } = await this.changes.search(asked.dataset, asked.asker, asked.window, MOST_CHANGES);
    const own = changes.filter(({ entity }) => service === undefined || entity.service === service).reverse();
    return {
      text:
        own.length === 0
          ? 'No change was told of in this time.'
          : `${own.length} ${own.length === 1 ? 'change' : 'changes'}; the latest at ${dayClock(own[0]!.time)}: ${own[0]!.title}.`,
      ...table(['at', 'change', 'service'], own, ({ time, title, entity }) => [
        dayClock(time),
        title,
        entity.service ?? '',
      ]),
      view: 'Changes',
      address: addressOf(asked, '/changes'),
    };
  }

  private async fresh(asked: Asked): Promise<QuestionPartBody> {
    const { patterns } = await this.patterns.search(asked, 'surprise', PATTERNS);
    const own = patterns.filter(({ change }) => change === 'first seen' || change === 'new here');
    return {
      text:
        own.length === 0
          ? 'No kind of line is new in this time.'
          : `${own.length} kinds of lines are new, the most surprising first.`,
      ...table(
        ['first seen', 'service', 'line', 'lines'],
        own,
        ({ firstSeen, services, sentence, focus, name }) => [
          dayClock(firstSeen),
          services.join(', '),
          name ?? sentence.map((part) => ('text' in part ? part.text : '…')).join(''),
          focus,
        ],
      ),
      view: 'Patterns',
      address: addressOf(asked, '/patterns'),
    };
  }

  private async apart(asked: Asked, { of, wrong, job }: Understood): Promise<QuestionPartBody> {
    const cohort = { ...(of === 'runs' && job !== undefined && { job }) };
    const found = await this.contrasts.contrast(asked, {
      ...(of === 'runs' && { items: 'runs' as const, second: cohort }),
      first: { ...cohort, ...(of === 'requests' && wrong && { preset: wrong }) },
    });
    const findings = contrastOf(found);
    return {
      text: findings.length === 0 ? 'Nothing goes wrong in this time.' : findings.map(findingText).join(' '),
      view: 'Contrast',
      address: addressOf(asked, '/contrast', {
        ...(of === 'runs' && { items: 'runs' }),
        ...(of === 'runs' && job !== undefined && { job }),
      }),
    };
  }

  private async why(asked: Asked, job: string): Promise<QuestionPartBody> {
    const { conclusion, findings } = await this.investigations.investigate(asked, job);
    const rows = conclusion.causes;
    const [first] = rows;
    return {
      text: first
        ? `${first.certainty === 'likely' ? 'Likely' : first.certainty === 'possible' ? 'Possibly' : 'At a guess'}: ${first.text}`
        : `No cause can be told from what is recorded. ${findings[0]?.text ?? ''}`.trim(),
      ...table(['cause', 'how sure'], rows, ({ text, certainty }) => [text, certainty]),
      view: 'Case',
      address: addressOf(asked, '/case', { investigate: '1', ...(job !== '' && { job }) }),
    };
  }

  private async slowest(asked: Asked): Promise<QuestionPartBody> {
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

  private async stuck(asked: Asked): Promise<QuestionPartBody> {
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
      address: addressOf({ ...asked, scope: '' }, '/runs'),
    };
  }

  private async shown(asked: Asked, understood: Understood): Promise<QuestionPartBody> {
    if (understood.of !== 'records') return this.howMany(asked, understood);
    const { records } = await this.queries.search(asked, 'newest', ROWS);
    const { focus } = await this.queries.count(asked);
    return {
      text: focus === 0 ? 'No line of this time matches.' : `${counted(focus)} lines; the newest of them.`,
      ...(records.length > 0 && {
        columns: ['at', 'service', 'line'],
        rows: records.map(({ time, service, text }) => [dayClock(time), service, text]),
        ...(focus > records.length && { more: focus - records.length }),
      }),
      view: 'Logs',
      address: addressOf(asked, '/logs'),
    };
  }
}

/** The operation that a question names. */
const operationIn = ({ service, operation }: Understood): { service?: string; operation?: string } =>
  service !== undefined && operation !== undefined ? { service, operation } : {};

/** The first rows of what was found, and how many more there are. */
function table<T>(
  columns: string[],
  found: readonly T[],
  row: (one: T) => (string | number)[],
): Pick<QuestionPartBody, 'columns' | 'rows' | 'more'> {
  if (found.length === 0) return {};
  return {
    columns,
    rows: found.slice(0, ROWS).map(row),
    ...(found.length > ROWS && { more: found.length - ROWS }),
  };
}

const counted = (count: number): string => Math.round(count).toLocaleString('en');

function share(part: number, all: number): string {
  const value = all === 0 ? 0 : (100 * part) / all;
  return `${value === 0 || value >= 10 ? value.toFixed(0) : value.toPrecision(2)}%`;
}

const seconds = (value: number | undefined): string =>
  value === undefined ? '' : value < 1 ? `${(1000 * value).toFixed(0)} ms` : `${value.toPrecision(3)} s`;

const duration = (value: number): string =>
  value < 120
    ? `${value.toFixed(0)} s`
    : value < 7200
      ? `${(value / 60).toFixed(0)} min`
      : `${(value / 3600).toFixed(1)} h`;

/** Day and time of day of a moment. */
const dayClock = (moment: string): string => `${moment.slice(0, 10)} ${moment.slice(11, 19)} UTC`;
