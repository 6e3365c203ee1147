import type { WindowBody } from '@flail/contract';
import type { Window } from '@flail/core';
import { badRequest } from '../problems/problem.js';

const RFC3339 = /^(\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d)(?:\.(\d{1,9}))?(Z|[+-]\d\d:\d\d)$/i;

/** Microseconds since 1970 of a moment in RFC 3339, or NaN. */
export function microsOf(text: string): number {
  const match = RFC3339.exec(text);
  if (!match) return NaN;
  const seconds = Date.parse(`${match[1]}${match[3]!.toUpperCase()}`);
  return seconds * 1000 + Number((match[2] ?? '').slice(0, 6).padEnd(6, '0'));
}

/** RFC 3339 with microseconds, in UTC. */
export function momentText(micros: number): string {
  const millis = Math.floor(micros / 1000);
  const rest = String(micros - millis * 1000).padStart(3, '0');
  return `${new Date(millis).toISOString().slice(0, -1)}${rest}Z`;
}

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
  if (to <= from) {
    throw badRequest(
      'window-backwards',
      `The ${name} ends (${body.to}) before or when it begins (${body.from}).`,
    );
  }
  return { from, to };
}
