import type {
  CohortBody,
  ContrastAnswer,
  ContrastBody,
  ContrastNews,
  DifferenceBody,
  EarlyLineBody,
  FeatureBody,
  SignatureBody,
  TermBody,
} from '@flail/contract';
import type { Grouping } from '@flail/core';
import { type EarlyLine, earlyFindings, termsExpression, topFrame } from '@flail/core/contrast';
import type { RunState } from '@flail/core/runs';
import { microsOf, momentText } from '@flail/core/time';
import { Injectable } from '@nestjs/common';
import { GroupingService } from '../grouping/grouping.service.js';
import { SeriesAsked, STEP } from '../onsets/series-asked.service.js';
import { windowOf } from '../query/moments.js';
import { PatternsService } from '../query/patterns.service.js';
import type { Asked } from '../query/planner.js';
import { QueryService } from '../query/query.service.js';
import { type CohortWanted, RequestsService } from '../requests/requests.service.js';
import { RunsService } from '../runs/runs.service.js';
import { watched } from '../told/progress.js';
import { plainSentence } from '../query/sentences.js';
import type { SignatureFound } from './contrast-answer.js';
import type { ContrastFound } from './contrast-requests.js';

const MINUTE = 60_000_000;
/** So long before the failing began lines are looked at that were new. */
const EARLY = 45 * MINUTE;
/** New patterns that are looked at, the most surprising first; and those that are shown. */
const NEW_PATTERNS = 150;
const EARLY_SHOWN = 8;
/** Around the cohorts runs may have gone on beside them. */
const AROUND = 60 * MINUTE;
const MOST_RUNS = 20_000;

const WENT_WRONG: readonly RunState[] = ['failed', 'done with errors'];

/** Tells two cohorts apart, and says what is known of what does. */
@Injectable()
export class ContrastService {
  constructor(
    private readonly requests: RequestsService,
    private readonly runs: RunsService,
    private readonly series: SeriesAsked,
    private readonly groupings: GroupingService,
    private readonly patterns: PatternsService,
    private readonly queries: QueryService,
  ) {}

  async contrast(
    asked: Asked,
    body: Pick<ContrastBody, 'items' | 'first' | 'second'>,
    tell?: (news: ContrastNews) => void,
  ): Promise<ContrastAnswer> {
    const { items = 'requests', first = { preset: 'wrong' }, second = { preset: 'ok' } } = body;
    if (items === 'runs') return this.ofRuns(asked, first, second);
    const cohorts = [wanted(asked, first, 'wrong'), wanted(asked, second, 'ok')] as const;
    const { dataset, asker } = asked;
    const span = {
      from: Math.min(...cohorts.map(({ window }) => window.from)),
      to: Math.max(...cohorts.map(({ window }) => window.to)),
    };
    const grouping = await this.groupings.current(dataset);
    const patternOf = new Map(
      [...grouping.patterns.all().values()].flatMap(({ id, layouts }) =>
        layouts.map((layout): [number, string] => [layout.id, id]),
      ),
    );
    const slotPlaces = new Map(
      [...grouping.patterns.all().values()].flatMap((pattern) =>
        pattern.layouts.length > 1 ? [...grouping.patterns.slotsOf(pattern).places] : [],
      ),
    );
    const from = Math.floor((span.from - STEP) / STEP) * STEP;
    const steps = { from, width: STEP, count: Math.ceil((span.to - from) / STEP) };
    const runs = await this.runs.ran(dataset, asker, { from: span.from - AROUND, to: span.to + AROUND });
    const { value, missing } = await watched(
      (progress) =>
        this.requests.contrast(
          asked,
          cohorts,
          {
            patternOf,
            slotPlaces,
            runs,
            steps,
            members: this.series.members(dataset, asker, steps),
            progress,
          },
          tell,
        ),
      tell,
      asked.signal,
    );
    const early = value.onset === undefined ? [] : await this.early(asked, value, value.onset);
    return this.answer('requests', value, { first, second, early, missing }, grouping, (trace) =>
      this.frameOf(asked, trace),
    );
  }

  private async ofRuns(asked: Asked, first: CohortBody, second: CohortBody): Promise<ContrastAnswer> {
    const { dataset, asker, window } = asked;
    const runsOf = (cohort: CohortBody, states: readonly RunState[]) =>
      this.runs.plain(dataset, asker, cohort.window ? windowOf(cohort.window, 'window') : window, {
        ...(cohort.job !== undefined && { job: cohort.job }),
        states,
      });
    const wrong = (await runsOf(first, first.preset === 'ok' ? ['done'] : WENT_WRONG)).slice(-MOST_RUNS);
    const jobs = new Set(wrong.map(({ job }) => job));
    const good = (await runsOf(second, second.preset === 'failed' ? WENT_WRONG : ['done'])).filter(
      // Jobs that always go well tell nothing of those that do not.
      ({ job }) => jobs.has(job),
    );
    const value = await this.requests.ofSeries(asked, {
      kind: 'contrast runs',
      first: wrong,
      second: good.slice(-MOST_RUNS),
    });
    const stacks = new Map(
      wrong.map(({ id, error, steps }) => [
        id,
        error?.stack ?? steps.find((step) => step.error)?.error ?? '',
      ]),
    );
    const grouping = await this.groupings.current(dataset);
    return this.answer('runs', value, { first, second, early: [], missing: {} }, grouping, (id) =>
      Promise.resolve(topFrame(stacks.get(id) ?? '')),
    );
  }

  private async answer(
    items: ContrastAnswer['items'],
    { wrong, values: _, onset, ...found }: ContrastFound,
    given: { first: CohortBody; second: CohortBody; early: EarlyLineBody[]; missing: object },
    grouping: Grouping,
    frameOf: (id: string) => Promise<string | undefined>,
  ): Promise<ContrastAnswer> {
    const feature = worded(grouping);
    const term = (one: TermBody): TermBody => ({ ...one, feature: feature(one.feature) });
    const difference = (one: DifferenceBody): DifferenceBody => ({
      ...one,
      term: term(one.term),
      with: one.with.map(term),
    });
    const signature = async (one: SignatureFound): Promise<SignatureBody> => {
      const frame = one.samples[0] === undefined ? undefined : await frameOf(one.samples[0]);
      return {
        ...one,
        ...termsExpression(one.terms),
        terms: one.terms.map(term),
        ...(frame !== undefined && { frame }),
      };
    };
    return {
      ...given.missing,
      ...found,
      items,
      first: { ...given.first, ...found.first, ...(wrong && { outcome: wrong }) },
      second: { ...given.second, ...found.second },
      ...(onset !== undefined && { onset: momentText(onset) }),
      differences: found.differences.map(difference),
      times: found.times.map(difference),
      setAside: found.setAside.map((one) => ({ ...one, feature: feature(one.feature) })),
      signatures: await Promise.all(found.signatures.map(signature)),
      early: given.early,
    };
  }

  /** Patterns that came for the first time shortly before the failing began, on its way, by what they share with it. */
  private async early(
    asked: Asked,
    { values, path }: ContrastFound,
    onset: number,
  ): Promise<EarlyLineBody[]> {
    const window = { from: onset - EARLY, to: onset + 1 };
    const baseline = { from: window.from - 2 * EARLY, to: window.from };
    const near = { ...asked, window, baseline, scope: onPath(path) };
    const { patterns } = await this.patterns.search(near, 'surprise', NEW_PATTERNS);
    const fresh = patterns.filter(({ change }) => change === 'first seen' || change === 'new here');
    const lines = await Promise.all(
      fresh.map(async ({ id }): Promise<EarlyLine[]> => {
        const { records } = await this.queries.search({ ...near, scope: `pattern ${id}` }, 'oldest', 1);
        return records.map(({ time, service, text, fields }) => ({
          pattern: id,
          service,
          at: microsOf(time),
          text,
          fields,
        }));
      }),
    );
    const sentences = new Map(fresh.map(({ id, sentence }) => [id, sentence]));
    return earlyFindings(lines.flat(), values, onset)
      .slice(0, EARLY_SHOWN)
      .map(({ line: { pattern, service, at, text }, shared }) => ({
        pattern,
        sentence: sentences.get(pattern)!,
        service,
        time: momentText(at),
        text,
        shared: shared.map(({ value, of }) => ({ value, of })),
      }));
  }

  /** The first line of a stack, of those that a request's spans or lines tell. */
  private async frameOf(asked: Asked, trace: string): Promise<string | undefined> {
    const { spans, logs } = await this.requests.one(asked, trace);
    const stacks = [
      ...spans.flatMap(({ events }) => events.map(({ fields }) => fields['exception.stacktrace'] ?? '')),
      ...logs.map(({ text }) => text),
    ];
    return stacks.map(topFrame).find((frame) => frame !== undefined);
  }
}

/** Lines of the services that the failing come by, and of those that name none of their requests. */
const onPath = (path: readonly string[]): string =>
  path.length === 0 ? '' : `service in (${path.map((service) => JSON.stringify(service)).join(', ')})`;

function wanted(
  { window, scope }: Asked,
  { preset, scope: own = '', window: given, service, operation, slower, faster }: CohortBody,
  usual: 'wrong' | 'ok',
): CohortWanted {
  return {
    preset: preset ?? (slower !== undefined || faster !== undefined || own !== '' ? 'all' : usual),
    window: given ? windowOf(given, 'window') : window,
    scope: [scope, own]
      .filter((part) => part.trim() !== '')
      .map((part) => `(${part})`)
      .join(' and '),
    ...(service !== undefined && { service }),
    ...(operation !== undefined && { operation }),
    ...(slower !== undefined && { slower }),
    ...(faster !== undefined && { faster }),
  };
}

/** Puts the words of patterns where their ids stand. */
function worded(grouping: Grouping): (feature: FeatureBody) => FeatureBody {
  return (feature) => {
    const pattern = feature.pattern === undefined ? undefined : grouping.patterns.find(feature.pattern);
    if (!pattern) return feature;
    const sentence = plainSentence(pattern.layouts[0]!);
    const name = grouping.namesOf.get(pattern.id);
    return {
      ...feature,
      sentence,
      name: name ?? sentence.map((part) => ('text' in part ? part.text : '…')).join(''),
    };
  };
}
