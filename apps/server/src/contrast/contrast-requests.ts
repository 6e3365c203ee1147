import type { DifferenceBody, FeatureBody } from '@flail/contract';
import type { SlotPlaces } from '@flail/core';
import {
  addLineFeatures,
  addMetricFeatures,
  addRunFeatures,
  addSpanFeatures,
  type CohortTable,
  contrastOf,
  type Feature,
  Features,
  signaturesOf,
  type TellingValue,
  tellingValues,
} from '@flail/core/contrast';
import { AFTERMATH, type Ran, type Request } from '@flail/core/requests';
import { momentText } from '@flail/core/time';
import { metricRows } from '../onsets/series-table.js';
import type { Subject, TableAsked } from '../requests/analysis-tasks.js';
import type { RequestData } from '../requests/request-data.js';
import type { SeriesReader } from '../series/series-reader.js';
import type { Progress } from '../told/progress.js';
import { type CohortAsked, cohortsOf, spanOf, thinned, type Wrong } from './cohorts.js';
import { differenceBody, setAsideBody, signatureBody, type SignatureFound } from './contrast-answer.js';

/** Two cohorts of requests, and what is needed to tell them apart. */
export interface ContrastQuestion extends TableAsked {
  kind: 'contrast';
  first: CohortAsked;
  second: CohortAsked;
  /** Patterns by layout. */
  patternOf: Map<number, string>;
  /** Where layouts have the slots of their pattern, where that has several. */
  slotPlaces: SlotPlaces;
  runs: Ran[];
}

export interface CohortCount {
  /** As many as those kept stand for. */
  count: number;
  kept: number;
  /** Those that were looked into. */
  used: number;
}

export interface ContrastFound {
  first: CohortCount;
  second: CohortCount;
  wrong?: Wrong;
  /** No more went wrong than in the baseline. */
  usual?: boolean;
  onset?: number;
  path: string[];
  differences: DifferenceBody[];
  times: DifferenceBody[];
  setAside: { feature: FeatureBody; why: string }[];
  signatures: SignatureFound[];
  features: number;
  tried: number;
  values: TellingValue[];
  lacking: string[];
}

/** Items of a cohort that are looked into, at most; of more every so manyth. */
const MOST_FIRST = 20_000;
const MOST_SECOND = 30_000;
/** Fields that say that something failed, and are no reason for it. */
const SAYS_FAILED =
  /^(?:level|priority|severity.*|status|status\.message|http\.(?:response\.)?status_code|rpc\.grpc\.status_code|error|error\.type|exception\..*|outcome|http\.response\.body\.size)$/;
/** Fields that tell how long something took. */
const SAYS_SLOW =
  /(?:^|[._ ])(?:took|elapsed|duration|latency|wait(?:ed)?)(?:[._ ]?(?:ms|s|us|ns|seconds|millis))?$|[._](?:ms|millis|seconds)$/;
/** Steps of the work, as they are told of. */
const STEPS = 10;

/** Who watches while cohorts are told apart. */
export interface Watched {
  progress: Progress;
  /** Takes what sets them apart by fields and calls, ahead of all else. */
  found?: (differences: DifferenceBody[]) => void;
}

/** Tells two cohorts of requests apart by all that is known of them. */
export async function contrastRequests(
  data: RequestData,
  reader: SeriesReader,
  base: Subject,
  question: ContrastQuestion,
  { progress, found }: Watched,
): Promise<ContrastFound> {
  progress.tell(0, STEPS);
  const cohorts = await cohortsOf(data, base, question.first, question.second);
  const first = thinned(cohorts.first, MOST_FIRST);
  const second = thinned(cohorts.second, MOST_SECOND);
  const requests = [...first, ...second];
  const items = requests.map(({ trace, at, seconds }) => ({ trace, at, seconds }));
  const places = new Map(items.map(({ trace }, item) => [trace, item]));
  const features = new Features(items.length);
  const window = spanOf([question.first.subject.window, question.second.subject.window]);
  const reach = { from: window.from - AFTERMATH, to: window.to + AFTERMATH };
  const { spans, logs, visible, until } = base;
  await turn(progress, 1);
  for (const view of await data.views(spans, reach))
    await data.unlessBroken(async () =>
      addSpanFeatures(features, view, reach, await data.shown(view, visible, until), places),
    );
  const tableNow = (): CohortTable => ({
    failing: Uint8Array.from(requests, (_, at) => (at < first.length ? 1 : 0)),
    weights: Float64Array.from(requests, ({ weight }) => weight),
    ids: requests.map(({ trace }) => trace),
    features: features.build(),
  });
  const sizes = { failingAll: first.length, healthyAll: second.length };
  const setApart = (table: CohortTable, without: (feature: number) => boolean) => {
    const contrast = contrastOf(table, without);
    const bodies = contrast.differences
      .slice(0, SHOWN)
      .map((one) => differenceBody(one, table.features, sizes));
    return { contrast, bodies };
  };
  if (found) {
    const early = tableNow();
    found(setApart(early, defining(early, cohorts.wrong)).bodies);
  }
  await turn(progress, 3);
  const lines = [];
  for (const view of await data.views(logs, reach)) {
    const seen = await data.unlessBroken(() => data.shown(view, visible, until));
    if (seen !== undefined) lines.push({ view, visible: seen });
  }
  await addLineFeatures(features, lines, reach, places, question.patternOf, question.slotPlaces);
  await turn(progress, 5);
  const rows = (await metricRows(reader, question, progress)).flatMap(({ drawn, unit, series }) =>
    drawn.of === 'metric' && drawn.labels.instance !== undefined && drawn.aggregate !== 'p95'
      ? [
          {
            metric: drawn.metric,
            unit,
            service: drawn.labels.service ?? '',
            instance: drawn.labels.instance,
            series,
          },
        ]
      : [],
  );
  addMetricFeatures(features, items, rows);
  addRunFeatures(features, items, question.runs);
  await turn(progress, 6);
  const table = tableNow();
  const saysAll = defining(table, cohorts.wrong);
  const { contrast, bodies: differences } = setApart(table, saysAll);
  await turn(progress, 8);
  const { bodies: times } = setApart(table, (feature) => !isTime(table.features[feature]!));
  const { signatures, tried } = signaturesOf(table, saysAll);
  await turn(progress, 9);
  // The first of what the best description holds of: one that failed alone, long before, is another matter.
  const began = signatures.map(({ items: held }) =>
    requests.reduce(
      (first, { at }, item) => (held.has(item) && table.failing[item] === 1 ? Math.min(first, at) : first),
      Infinity,
    ),
  );
  const onset = began[0] ?? cohorts.first[0]?.at;
  return {
    first: counted(cohorts.first, first.length),
    second: counted(cohorts.second, second.length),
    ...(cohorts.wrong && { wrong: cohorts.wrong }),
    ...(cohorts.usual && { usual: true }),
    ...(onset !== undefined && { onset }),
    path: pathOf(features.all(), first.length),
    differences,
    times,
    setAside: setAsideBody(contrast, table.features).filter(({ feature }) => feature.kind !== 'time'),
    signatures: signatures.map((one) =>
      signatureBody(one, table.features, {
        ids: table.ids,
        failing: table.failing,
        times: requests.map(({ at }) => momentText(at)),
      }),
    ),
    features: table.features.length,
    tried,
    values: tellingValues(table, contrast),
    lacking: lackingOf(table, lines.length),
  };
}

const SHOWN = 40;

/** Lets others have a turn, and says how far it is. */
async function turn(progress: Progress, step: number): Promise<void> {
  await new Promise((resolve) => setImmediate(resolve));
  progress.tell(step, STEPS);
}

const isTime = ({ name }: Feature): boolean => name.kind === 'time';

/** Whether a feature only says what the cohorts were made by. */
const defining =
  ({ features }: CohortTable, wrong: Wrong | undefined) =>
  (feature: number): boolean =>
    isTime(features[feature]!) || saysOutcome(features[feature]!, wrong);

const saysOutcome = ({ name }: Feature, wrong: Wrong | undefined): boolean =>
  name.kind === 'field' && (wrong === 'slow' ? SAYS_SLOW : SAYS_FAILED).test(name.name);

const counted = (requests: readonly Request[], used: number): CohortCount => ({
  count: requests.reduce((sum, { weight }) => sum + weight, 0),
  kept: requests.length,
  used,
});

/** Share of the first cohort that has to come by a service for it to be on their way. */
const ON_THE_WAY = 0.2;

/** Services that the first cohort comes by. */
function pathOf(features: readonly Feature[], first: number): string[] {
  const found = new Map<string, number>();
  for (const { name, column } of features) {
    if (name.kind !== 'calls' || column.of !== 'numbers' || name.service === undefined) continue;
    let calling = 0;
    for (let item = 0; item < first; item++) if (column.values[item]! > 0) calling++;
    found.set(name.service, Math.max(found.get(name.service) ?? 0, calling));
  }
  return [...found]
    .filter(([, calling]) => calling >= ON_THE_WAY * first)
    .sort(([a, x], [b, y]) => y - x || (a < b ? -1 : 1))
    .map(([service]) => service);
}

/** What was not recorded of the items, and might tell. */
function lackingOf({ features }: CohortTable, lines: number): string[] {
  const kinds = new Set(features.map(({ name }) => name.kind));
  const lacking: string[] = [];
  if (!features.some(({ name }) => /(?:request|response)\.body|payload/.test(name.name)))
    lacking.push('what was sent with the requests (payloads are not recorded)');
  if (lines === 0 || !kinds.has('pattern')) lacking.push('lines that carry the id of a request');
  if (!kinds.has('metric')) lacking.push('measurements of the instances that they came by');
  return lacking;
}
