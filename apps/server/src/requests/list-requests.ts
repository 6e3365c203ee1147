import type { OperationFiguresBody, RequestBody, RequestPreset, RequestsSearchAnswer } from '@flail/contract';
import { momentText } from '@flail/core/time';
import {
  counted,
  isSlow,
  type OperationFigures,
  operationsOf,
  pageOf,
  type Request,
  slowLimits,
  type SlowLimits,
  stripsOf,
  tallyOf,
} from '@flail/core/requests';
import type { ListQuestion, Subject } from './analysis-tasks.js';
import type { RequestData } from './request-data.js';

/** The requests of the focus with their figures in both windows, and a page of them. */
export async function listRequests(
  data: RequestData,
  subject: Subject,
  question: ListQuestion,
): Promise<Omit<RequestsSearchAnswer, 'missing'>> {
  const { window, baseline } = subject;
  const inFocus = await data.requests(subject, window);
  const inBaseline = baseline ? await data.requests(subject, baseline) : NONE;
  const { focus, slow, figures } = figuresOf(inFocus, inBaseline, subject, question);
  const chosen = focus.filter((request) => isListed(request, question, slow));
  const page = pageOf(chosen, question.order, question.offset, question.limit);
  const { slower, faster } = question;
  const weights = (those: (request: Request) => boolean) =>
    counted(focus.filter(those).map(({ weight }) => weight));
  return {
    requests: await Promise.all(page.map((request) => requestBody(data, subject, request, slow))),
    matched: chosen.length,
    ...figures,
    ...((slower !== undefined || faster !== undefined) && {
      cohorts: {
        slower: weights(({ seconds }) => seconds > (slower ?? Infinity)),
        faster: weights(({ seconds }) => seconds < (faster ?? 0)),
      },
    }),
  };
}

const NONE: readonly Request[] = [];

type Figures = Pick<RequestsSearchAnswer, 'focus' | 'baseline' | 'strips' | 'operations' | 'statuses'>;

/** What is told of the requests of two windows, whichever of them are listed. */
interface Told {
  focus: readonly Request[];
  slow: SlowLimits;
  figures: Figures;
}

/** What was told last of the requests of a focus: another page, order or preset asks for the same. */
const kept = new WeakMap<readonly Request[], { key: string; before: readonly Request[]; told: Told }>();

function figuresOf(
  inFocus: readonly Request[],
  inBaseline: readonly Request[],
  { window, baseline }: Subject,
  { service, operation, steps }: ListQuestion,
): Told {
  const key = JSON.stringify([window, service, operation, steps]);
  const known = kept.get(inFocus);
  if (known?.key === key && known.before === inBaseline) return known.told;
  const isWhole = service === undefined && operation === undefined;
  const ofOperation = (request: Request): boolean =>
    (service === undefined || request.service === service) &&
    (operation === undefined || request.name === operation);
  const focus = isWhole ? inFocus : inFocus.filter(ofOperation);
  const before = isWhole ? inBaseline : inBaseline.filter(ofOperation);
  const slow = slowLimits(before.length > 0 ? [...before, ...focus] : focus);
  const figures: Figures = {
    focus: tallyOf(focus, slow),
    ...(baseline && { baseline: tallyOf(before, slow) }),
    strips: {
      from: momentText(window.from),
      step: (window.to - window.from) / steps / 1e6,
      focus: stripsOf(focus, window, steps),
    },
    operations: operationsOf(inFocus, inBaseline).map(
      ({ name, excess: _, focus: own, baseline: other, ...row }) => ({
        ...row,
        operation: name,
        focus: figuresBody(own),
        baseline: figuresBody(other),
      }),
    ),
    statuses: statusesOf(focus, before),
  };
  const told = { focus, slow, figures };
  kept.set(inFocus, { key, before: inBaseline, told });
  return told;
}

function isListed(
  request: Request,
  { preset, cohort, slower, faster }: ListQuestion,
  slow: SlowLimits,
): boolean {
  if (cohort === 'slower' && !(request.seconds > (slower ?? Infinity))) return false;
  if (cohort === 'faster' && !(request.seconds < (faster ?? 0))) return false;
  return fits(request, preset, slow);
}

/** Whether a request is one of a preset. */
export function fits(request: Request, preset: RequestPreset, slow: SlowLimits): boolean {
  switch (preset) {
    case 'all':
      return true;
    case 'slow':
      return isSlow(request, slow);
    case 'slow without error':
      return isSlow(request, slow) && request.outcome !== 'failed';
    default:
      return request.outcome === preset;
  }
}

async function requestBody(
  data: RequestData,
  { spans }: Subject,
  request: Request,
  slow: SlowLimits,
): Promise<RequestBody> {
  const { trace, at, seconds, outcome, status, service, name } = request;
  const [view] = await data.views(
    { ...spans, segments: [Number(request.segment)] },
    { from: at, to: at + 1 },
  );
  return {
    trace,
    time: momentText(at),
    duration: seconds,
    outcome,
    slow: isSlow(request, slow),
    ...(status > 0 && { status }),
    service,
    operation: name,
    fields: view ? Object.fromEntries(await view.fields(request.row)) : {},
  };
}

/** JSON has no NaN: figures that there are none of are left out. */
function figuresBody({ p50, p95, p99, longest, ...counts }: OperationFigures): OperationFiguresBody {
  return counts.kept === 0 ? counts : { ...counts, p50, p95, p99, longest };
}

function statusesOf(
  focus: readonly Request[],
  baseline: readonly Request[],
): RequestsSearchAnswer['statuses'] {
  const sums = new Map<number, { focus: number; baseline: number }>();
  const add = ({ status, weight }: Request, where: 'focus' | 'baseline'): void => {
    const sum = sums.get(status) ?? { focus: 0, baseline: 0 };
    sum[where] += weight;
    sums.set(status, sum);
  };
  for (const request of focus) add(request, 'focus');
  for (const request of baseline) add(request, 'baseline');
  return [...sums]
    .filter(([status]) => status > 0)
    .map(([status, counts]) => ({ status, ...counts }))
    .sort((a, b) => b.focus - a.focus || b.baseline - a.baseline);
}
