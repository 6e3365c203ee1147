import type { QuestionPartBody } from '@flail/contract';
import { findingText } from '@flail/core/cases';
import { stepsOf, type Understood } from '@flail/core/questions';
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
import { counted, dayClock, ROWS, table } from './answer-text.js';
import { RequestAnswers } from './request-answers.service.js';
import { RunAnswers } from './run-answers.service.js';

const PATTERNS = 60;
const MOST_CHANGES = 200;

/** Answers a question that was understood, each kind by the computation of the view that it belongs to. */
@Injectable()
export class AnswersService {
  constructor(
    private readonly queries: QueryService,
    private readonly summaries: SummaryService,
    private readonly patterns: PatternsService,
    private readonly ofRequests: RequestAnswers,
    private readonly ofRuns: RunAnswers,
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
        return [await this.ofRequests.slowest(asked)];
      case 'stuck':
        return [await this.ofRuns.stuck(asked)];
      case 'show':
        return [await this.shown(asked, understood)];
    }
  }

  /** By a field that requests and runs both have, where the question does not say of which, both are told. */
  private async whichGoWrong(asked: Asked, understood: Understood): Promise<QuestionPartBody[]> {
    if (understood.of === 'runs') return [await this.ofRuns.wrong(asked, understood)];
    const requests = await this.ofRequests.wrong(asked, understood);
    if (understood.saidOf || understood.by === undefined) return [requests];
    const runs = await this.ofRuns.wrong(asked, understood);
    return [requests, runs].filter(({ rows }, at) => at === 0 || (rows?.length ?? 0) > 0);
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
    if (understood.of === 'runs') return this.ofRuns.howMany(asked, understood);
    if (understood.of === 'requests') return this.ofRequests.howMany(asked, understood);
    const { focus, baseline, anyTime } = await this.queries.count(asked);
    return {
      text: `${counted(focus)} lines in this time${asked.baseline ? `, ${counted(baseline)} in the baseline` : ''}; ${counted(anyTime)} in all that is held.`,
      view: 'Logs',
      address: addressOf(asked, '/logs'),
    };
  }

  private async atTheEdge(asked: Asked, understood: Understood): Promise<QuestionPartBody> {
    const { asks, of } = understood;
    if (of === 'requests') return this.ofRequests.edge(asked, understood);
    if (of === 'runs') return this.ofRuns.edge(asked, understood);
    const first = asks === 'first';
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
