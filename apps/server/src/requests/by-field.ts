import { fieldReader, isSlow, type Request, slowLimits, tallyByField } from '@flail/core/requests';
import type { ByFieldQuestion, RequestsAnswers, Subject } from './analysis-tasks.js';
import type { RequestData } from './request-data.js';

/** Requests whose fields are read, at most; of more the newest. */
const MOST = 50_000;
/** What places a span; a request has as many as it has spans. */
const PLACES = new Set(['instance', 'host', 'site', 'service.version']);

/** Which values of a field go wrong: of the first span, or, of a place, of any span on the way. */
export async function byField(
  data: RequestData,
  subject: Subject,
  { field, wrong, service, operation }: ByFieldQuestion,
): Promise<RequestsAnswers['by field']> {
  const { window, baseline } = subject;
  const own = (await data.requests(subject, window)).filter(
    (request) =>
      (service === undefined || request.service === service) &&
      (operation === undefined || request.name === operation),
  );
  const looked = own.slice(-MOST);
  const limits = slowLimits(baseline ? [...(await data.requests(subject, baseline)), ...own] : own);
  const isWrong = (request: Request): boolean =>
    wrong === 'slow' ? isSlow(request, limits) : request.outcome === wrong;
  const valuesOf =
    field === 'service' || PLACES.has(field)
      ? await placesOf(data, subject, looked, field)
      : await fieldOf(data, subject, looked, field);
  const values = tallyByField(looked, (request) => valuesOf.get(request.trace) ?? [], isWrong);
  return { looked: looked.length, of: own.length, values };
}

async function placesOf(
  data: RequestData,
  subject: Subject,
  looked: readonly Request[],
  field: string,
): Promise<Map<string, string[]>> {
  const trees = await data.trees(subject, subject.window, new Set(looked.map(({ trace }) => trace)));
  return new Map(
    [...trees].map(([trace, { nodes }]) => [
      trace,
      nodes.flatMap(({ span }) => (field === 'service' ? [span.service] : (span.sender[field] ?? []))),
    ]),
  );
}

async function fieldOf(
  data: RequestData,
  subject: Subject,
  looked: readonly Request[],
  field: string,
): Promise<Map<string, string[]>> {
  const values = new Map<string, string[]>();
  const views = await data.views(subject.spans, subject.window);
  const readers = new Map(
    await Promise.all(views.map(async (view) => [view.key, await fieldReader(view, field)] as const)),
  );
  for (const { trace, segment, row } of looked) {
    const value = readers.get(segment)?.(row) ?? '';
    if (value !== '') values.set(trace, [value]);
  }
  return values;
}
