import type { Request } from 'express';
import type { Asker } from '../access/asker.js';
import { badRequest } from '../problems/problem.js';
import type { Dataset, RecordStore } from '../store/record-store.js';
import type { WindowBody } from '@flail/contract';
import type { Window } from '@flail/core';
import { windowOf } from './moments.js';
import type { Asked } from './planner.js';
import type { ReadDto, ReadQueryDto } from './query.dto.js';

/** What a body asks, as far as its data set is shown. */
export function askedOf(
  store: RecordStore,
  body: Omit<ReadDto, 'scope'> & { scope?: string },
  asker: Asker,
  request: Request,
): Asked {
  const dataset = store.dataset(body.dataset);
  return {
    asker,
    dataset,
    window: shown(store, dataset, body.window, 'window'),
    ...(body.baseline && { baseline: shown(store, dataset, body.baseline, 'baseline') }),
    scope: body.scope ?? '',
    signal: goneSignal(request),
  };
}

/** What the parameters of a GET ask; without a window where none is given. */
export function askedByQuery(
  store: RecordStore,
  query: ReadQueryDto,
  asker: Asker,
  request: Request,
): Omit<Asked, 'window'> & { window?: Asked['window'] } {
  const { from, to, baselineFrom, baselineTo } = query;
  if ((from === undefined) !== (to === undefined))
    throw badRequest('window', 'Give both from and to, or neither.');
  if ((baselineFrom === undefined) !== (baselineTo === undefined)) {
    throw badRequest('window', 'Give both baselineFrom and baselineTo, or neither.');
  }
  const dataset = store.dataset(query.dataset);
  return {
    asker,
    dataset,
    ...(from !== undefined && to !== undefined && { window: shown(store, dataset, { from, to }, 'window') }),
    ...(baselineFrom !== undefined &&
      baselineTo !== undefined && {
        baseline: shown(store, dataset, { from: baselineFrom, to: baselineTo }, 'baseline'),
      }),
    scope: query.scope ?? '',
    signal: goneSignal(request),
  };
}

/** The same, over all the time held where no window is given. */
export function heldOrAsked(store: RecordStore, query: ReadQueryDto, asker: Asker, request: Request): Asked {
  const asked = askedByQuery(store, query, asker, request);
  const held = store.shown(asked.dataset) ?? { from: 0, to: 0 };
  return { ...asked, window: asked.window ?? { from: held.from, to: held.to + 1 } };
}

const shown = (store: RecordStore, dataset: Dataset, given: WindowBody, name: string): Window =>
  store.shownPart(dataset, windowOf(given, name));

/** Fires when the asker has gone before the answer was there. */
function goneSignal(request: Request): AbortSignal {
  const controller = new AbortController();
  request.res?.once('close', () => {
    if (!request.res?.writableEnded) controller.abort();
  });
  return controller.signal;
}
