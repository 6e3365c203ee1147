import type { RequestsAnalysisAnswer, SpreadBody } from '@flail/contract';
import { makeUp, type NamedSpread, originsOf, type Request, spreadsOf } from '@flail/core/requests';
import { shareRise } from '@flail/core/statistics';
import { momentText } from '@flail/core/time';
import type { AnalysisQuestion, Subject } from './analysis-tasks.js';
import type { RequestData } from './request-data.js';

/** Requests that are looked into with all their spans, at most; of more the newest. */
const MOST = 20_000;
/** Fields of a first span that tell of its place in the request, not of what was asked. */
const NOT_ASKED = new Set([
  'trace',
  'span',
  'kind',
  'duration',
  'status',
  'status.message',
  'level',
  'service',
  'scope.name',
  'sampling.one_in',
  'http.response.status_code',
  'nanos',
  'events',
  'links',
  'instance',
  'host',
  'site',
  'service.version',
]);

/** Where failing begins, how it spreads, and what the time is made of. */
export async function analyse(
  data: RequestData,
  subject: Subject,
  { service, operation }: AnalysisQuestion,
): Promise<Omit<RequestsAnalysisAnswer, 'missing'>> {
  const { window, baseline } = subject;
  const ofOperation = (request: Request): boolean =>
    (service === undefined || request.service === service) &&
    (operation === undefined || request.name === operation);
  const all = (await data.requests(subject, window)).filter(ofOperation);
  const before = baseline ? (await data.requests(subject, baseline)).filter(ofOperation) : [];
  const looked = all.slice(-MOST);
  const trees = await data.trees(subject, window, new Set(looked.map(({ trace }) => trace)));
  const treesOf = (those: (request: Request) => boolean) =>
    looked.filter(those).flatMap(({ trace }) => trees.get(trace) ?? []);
  const failed = treesOf(({ outcome }) => outcome === 'failed');
  const well = treesOf(({ outcome }) => outcome !== 'failed');
  const asked = new Map<string, Map<string, string>>();
  for (const view of await data.views(subject.spans, window)) {
    for (const request of looked) {
      if (request.segment !== view.key) continue;
      const fields = await view.fields(request.row);
      asked.set(request.trace, new Map([...fields].filter(([name]) => !NOT_ASKED.has(name))));
    }
  }
  const since = failingSince([...before, ...all], window.from);
  const none: ReadonlyMap<string, string> = new Map();
  return {
    looked: looked.length,
    of: all.length,
    ...(since !== undefined && { failingSince: momentText(since) }),
    origins: originsOf(failed).map(({ name, ...origin }) => ({ ...origin, operation: name })),
    makeUp: makeUp(well)
      .slice(0, 12)
      .map(({ name, ...part }) => ({ ...part, operation: name })),
    spread: spreadsOf(looked, trees, ({ trace }) => asked.get(trace) ?? none).map(spreadBody),
  };
}

/** When the first failed after the share of the failing rose; undefined where that was before the focus, or never. */
function failingSince(requests: readonly Request[], from: number): number | undefined {
  const failed = requests.map(({ outcome }) => outcome === 'failed');
  const rise = shareRise(failed);
  const first = rise && requests[failed.indexOf(true, rise.at)]?.at;
  return first === undefined || first < from ? undefined : first;
}

const spreadBody = ({ subset, field, service, ...spread }: NamedSpread): SpreadBody => ({
  ...spread,
  field,
  ...(service !== undefined && { service }),
  what: service === undefined ? field : `${field} of ${service}`,
  subset: subset.map(({ name }) => name),
});
