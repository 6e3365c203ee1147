import type { WindowBody } from '@flail/contract';
import type { Window } from '@flail/core';
import { isMoment, LATEST_MICROS, microsOf, momentText, MOMENTS_TEXT } from '@flail/core/time';
import { badRequest } from '../problems/problem.js';

export const windowBody = ({ from, to }: Window): WindowBody => ({
  from: momentText(from),
  to: momentText(to),
});

/** Reads a window of a request; `name` tells which one in the error. */
export function windowOf(body: WindowBody, name: string): Window {
  const from = microsOf(body.from);
  const to = microsOf(body.to);
  for (const [end, value] of [
    ['from', from],
    ['to', to],
  ] as const) {
    if (Number.isNaN(value)) {
      throw badRequest(
        'moment',
        `${name}.${end} is not a moment in RFC 3339, such as 2026-03-02T18:00:00Z: "${body[end]}".`,
      );
    }
  }
  if (!isMoment(from) || to > LATEST_MICROS) {
    throw badRequest('moment-out-of-range', `The ${name} reaches beyond what can be held: ${MOMENTS_TEXT}.`);
  }
  if (to <= from) {
    throw badRequest(
      'window-backwards',
      `The ${name} ends (${body.to}) before or when it begins (${body.from}).`,
    );
  }
  return { from, to };
}
