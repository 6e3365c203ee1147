import type { EventsAnswer } from '@flail/contract';

const PROBLEMS_SHOWN = 20;

/** Reads events one by one: those that are none are counted, with what is wrong about them. */
export function readEvents<T>(
  events: readonly unknown[],
  read: (event: unknown) => T,
  refusal: new (message: string) => Error,
): { read: T[]; answer: EventsAnswer } {
  const found: T[] = [];
  const problems: EventsAnswer['problems'] = [];
  let malformed = 0;
  for (const [index, event] of events.entries()) {
    try {
      found.push(read(event));
    } catch (error) {
      if (!(error instanceof refusal)) throw error;
      malformed++;
      if (problems.length < PROBLEMS_SHOWN) problems.push({ event: index, message: error.message });
    }
  }
  return { read: found, answer: { accepted: found.length, malformed, problems } };
}
