import type { RequestAnswer, SpanBody, TwinAnswer } from '@flail/contract';
import { momentText } from '@flail/core/time';
import type { SegmentView, Window } from '@flail/core';
import {
  besideRuns,
  isSlow,
  ownTime,
  type Request,
  slowLimits,
  type Span,
  SPAN_OWN,
  timeAccount,
  toldOf,
  type TraceTree,
  twinDifferences,
  twinOf,
  usualGaps,
} from '@flail/core/requests';
import type { Subject, TwinQuestion } from './analysis-tasks.js';
import type { RequestData } from './request-data.js';

/** Spans of one request that are sent, at most. */
const MOST_SPANS = 5000;
/** Requests around one that tell what is usual, and how far around, microseconds. */
const AROUND = { requests: 400, micros: [60_000_000, 600_000_000, 3_600_000_000] };

/** One request in full, but for its lines; null where no span of it is seen. */
export async function oneRequest(
  data: RequestData,
  subject: Subject,
  trace: string,
): Promise<Omit<RequestAnswer, 'logs'> | null> {
  const found = await find(data, subject, trace);
  if (!found) return null;
  const { request, tree, near } = found;
  const { root } = tree;
  const usual = usualGaps(
    (await data.trees(subject, near.window, new Set(near.requests.map((one) => one.trace)))).values(),
  );
  const places = new Map(tree.nodes.map((node, at) => [node, at]));
  const relative = (moment: number): number => (moment - root.from) / 1e6;
  const views = await viewsOf(data, subject, tree);
  const sent = tree.nodes.slice(0, MOST_SPANS);
  const spans: SpanBody[] = [];
  for (const node of sent) {
    const { span, depth, from, to, shifted, orphan, parent } = node;
    const { fields, events } = await fieldsOf(span, views);
    spans.push({
      id: span.id,
      ...(parent && { parent: places.get(parent)! }),
      depth,
      service: span.service,
      operation: span.text ?? span.name,
      kind: span.kind,
      from: relative(from),
      to: relative(to),
      own: ownTime(node) / 1e6,
      failed: span.failed,
      ...(span.message !== '' && { message: span.message }),
      ...(span.peer !== '' && { peer: span.peer }),
      ...(shifted !== 0 && { shifted: shifted / 1e6 }),
      ...(orphan && { orphan }),
      fields,
      events,
    });
  }
  return {
    trace,
    time: momentText(root.from),
    duration: (root.to - root.from) / 1e6,
    outcome: request.outcome,
    service: root.span.service,
    operation: root.span.text ?? root.span.name,
    spans,
    more: tree.nodes.length - sent.length,
    account: timeAccount(tree, usual)
      .filter(({ node }) => places.get(node)! < MOST_SPANS)
      .map(({ kind, who, node, from, to, where }) => ({
        kind,
        who,
        span: places.get(node)!,
        from: relative(from),
        to: relative(to),
        ...(where !== undefined && { where }),
      })),
    problems: problemsOf(tree, request),
  };
}

/** The healthy request that is most like one, and what tells the two apart; null where there is no such request. */
export async function twin(
  data: RequestData,
  subject: Subject,
  { trace, runs }: TwinQuestion,
): Promise<TwinAnswer | null> {
  const found = await find(data, subject, trace);
  if (!found) return null;
  const { request, tree, near } = found;
  const limits = slowLimits(near.requests);
  const slow = isSlow(request, limits);
  const healthy = near.requests.filter(
    (one) => one.trace !== trace && one.outcome === 'ok' && !(slow && isSlow(one, limits)),
  );
  const trees = await data.trees(subject, near.window, new Set(healthy.map((one) => one.trace)));
  const views = new Map((await data.views(subject.spans, near.window)).map((view) => [view.key, view]));
  for (const [key, view] of await viewsOf(data, subject, tree)) views.set(key, view);
  const own = await toldOf(tree, views);
  const told = await Promise.all([...trees.values()].map((other) => toldOf(other, views)));
  const best = twinOf(own, told);
  const beside = slow
    ? besideRuns(
        near.requests.map((one) => ({
          from: one.at,
          to: one.at + one.seconds * 1e6,
          slow: isSlow(one, limits),
        })),
        runs,
      )
    : [];
  if (!best) return { among: 0, differences: [], beside };
  const other = trees.get(best.twin.trace)!;
  return {
    twin: {
      trace: best.twin.trace,
      time: momentText(other.root.from),
      duration: (other.root.to - other.root.from) / 1e6,
      likeness: best.likeness,
    },
    beside,
    among: told.length,
    differences: twinDifferences({ told: own, tree }, { told: best.twin, tree: other }, told),
  };
}

interface Found {
  request: Request;
  tree: TraceTree<Span>;
  /** Requests of the same operation around it. */
  near: { window: Window; requests: Request[] };
}

/** A request by its trace, wherever in the time held it lies. */
async function find(data: RequestData, subject: Subject, trace: string): Promise<Found | undefined> {
  const at = await data.momentOf(subject, trace);
  if (at === undefined) return undefined;
  const unscoped: Subject = { ...subject, scope: { kind: 'all' } };
  const tree = (await data.trees(unscoped, { from: at, to: at + 1 }, new Set([trace]))).get(trace);
  if (!tree) return undefined;
  let request: Request | undefined;
  let requests: Request[] = [];
  // The nearest are looked for close by first: where requests are many, an hour of them is a long way to go.
  for (const micros of AROUND.micros) {
    const all = await data.requests(unscoped, { from: at - micros, to: at + micros });
    const own = (request = all.find((one) => one.trace === trace));
    if (!own) return undefined;
    requests = all.filter(({ service, name }) => service === own.service && name === own.name);
    if (requests.length >= AROUND.requests) break;
  }
  if (!request) return undefined;
  const { at: began } = request;
  requests = requests
    .sort((a, b) => Math.abs(a.at - began) - Math.abs(b.at - began))
    .slice(0, AROUND.requests);
  const moments = requests.map((one) => one.at);
  return {
    request,
    tree,
    near: { window: { from: Math.min(...moments), to: Math.max(...moments) + 1 }, requests },
  };
}

async function viewsOf(
  data: RequestData,
  { spans }: Subject,
  { nodes }: TraceTree<Span>,
): Promise<Map<string, SegmentView>> {
  const segments = [...new Set(nodes.map(({ span }) => Number(span.segment)))];
  const views = await data.views({ ...spans, segments }, { from: -Infinity, to: Infinity });
  return new Map(views.map((view) => [view.key, view]));
}

const TOLD = new Set<string>([...SPAN_OWN, 'nanos', 'level', 'service', 'links', 'events', 'status.message']);

async function fieldsOf(
  span: Span,
  views: ReadonlyMap<string, SegmentView>,
): Promise<Pick<SpanBody, 'fields' | 'events'>> {
  const all = await views.get(span.segment)!.fields(span.row);
  const fields = Object.fromEntries([...all].filter(([name]) => !TOLD.has(name)));
  return { fields, events: eventsOf(new Map(all).get('events')) };
}

/** Events of a span, as they were written when it came in. */
function eventsOf(text: string | undefined): SpanBody['events'] {
  if (text === undefined) return [];
  try {
    const events = JSON.parse(text) as { at: string; name: string }[];
    return events.map(({ at, name, ...fields }) => ({
      at: parseFloat(at) / 1000,
      name,
      fields: Object.fromEntries(Object.entries(fields).map(([field, value]) => [field, String(value)])),
    }));
  } catch {
    // A list too long to be kept was cut off; its text stands among the fields of the record.
    return [];
  }
}

const plural = (count: number, what: string): string => `${count} ${what}${count === 1 ? '' : 's'}`;

function problemsOf({ orphans, duplicates, cycles, skew }: TraceTree<Span>, { first }: Request): string[] {
  return [
    ...(first ? [] : ['The span that it began with was not recorded.']),
    ...(orphans > Number(!first)
      ? [`${plural(orphans, 'span')} name a parent that was not recorded; they stand below the first.`]
      : []),
    ...(duplicates > 0 ? [`${plural(duplicates, 'span')} came twice.`] : []),
    ...(cycles > 0 ? [`${plural(cycles, 'span')} named themselves as ancestors.`] : []),
    ...(skew > 0
      ? [
          `Clocks differ by up to ${(skew / 1e6).toPrecision(3)} s; their spans were set into those that asked.`,
        ]
      : []),
  ];
}
