import type { RequestsWayAnswer } from '@flail/contract';
import { slowLimits, wayOf } from '@flail/core/requests';
import { thinned } from '../contrast/cohorts.js';
import type { Subject, WayQuestion } from './analysis-tasks.js';
import { fits } from './list-requests.js';
import type { RequestData } from './request-data.js';

/** Requests whose way is looked into, at most; of more every so manyth. */
const MOST = 5000;

/** By which calls the requests of a preset go. */
export async function way(
  data: RequestData,
  subject: Subject,
  { preset }: WayQuestion,
): Promise<Omit<RequestsWayAnswer, 'missing'>> {
  const all = await data.requests(subject, subject.window);
  const before = subject.baseline ? await data.requests(subject, subject.baseline) : [];
  const slow = slowLimits(before.length > 0 ? [...before, ...all] : all);
  const own = all.filter((request) => fits(request, preset, slow));
  const looked = thinned(own, MOST);
  const trees = await data.trees(subject, subject.window, new Set(looked.map(({ trace }) => trace)));
  return { looked: looked.length, of: own.length, calls: wayOf(trees.values()) };
}
