import type { EventsAnswer } from '@flail/contract';
import { changeOf, NoChangeError } from '@flail/core/changes';
import { NoRunEventError, runEventOf } from '@flail/core/runs';
import { depthOf } from '../problems/depth.js';

/** What senders tell of in events. */
export type EventKind = 'changes' | 'runs';

/** Events that one request may bring. */
export const MOST_EVENTS = 10_000;
/** Lists and objects within one another in an event. */
const MOST_DEPTH = 64;
const PROBLEMS_SHOWN = 20;

/** A change as it is stored. */
export interface ChangeRow {
  source: string;
  eventId: string;
  atMicros: number;
  kind: string;
  title: string;
  entity: string;
  body: string;
}

/** What was read of events: rows, or the texts of those that are put together with others. */
export interface ReadEvents {
  answer: EventsAnswer;
  changes: ChangeRow[];
  runs: { runId: string; text: string }[];
}

/** Events that can't be taken at all, and why. */
export class EventsError extends Error {
  constructor(
    readonly code: 'empty' | 'not-json' | 'too-many' | 'too-deep',
    message: string,
  ) {
    super(message);
  }
}

/**
 * Reads events in JSON: one, a list of them, or one on each line. Those that are none are counted, with what is wrong
 * about them. For a thread: much JSON takes its time.
 */
export function readEvents(kind: EventKind, bytes: Uint8Array, arrival: number): ReadEvents {
  const read: ReadEvents = { answer: { accepted: 0, malformed: 0, problems: [] }, changes: [], runs: [] };
  const refuse = (place: number, message: string): void => {
    read.answer.malformed++;
    if (read.answer.problems.length < PROBLEMS_SHOWN) read.answer.problems.push({ event: place, message });
  };
  const events = eventsIn(bytes);
  if (events.length > MOST_EVENTS)
    throw new EventsError(
      'too-many',
      `A request brings ${MOST_EVENTS.toLocaleString('en')} events at most, not ${events.length.toLocaleString('en')}; send them in parts.`,
    );
  for (const [place, event] of events.entries()) {
    try {
      if (event instanceof EventsError) refuse(place, event.message);
      else if (kind === 'changes') {
        const { source, id, at, title, entity, body, kind: what } = changeOf(event, arrival);
        const row = { source, eventId: id, atMicros: at, kind: what, title };
        read.changes.push({ ...row, entity: JSON.stringify(entity), body: JSON.stringify(body) });
      } else read.runs.push({ runId: runEventOf(event).runId, text: JSON.stringify(event) });
    } catch (error) {
      if (!(error instanceof NoChangeError || error instanceof NoRunEventError)) throw error;
      refuse(place, error.message);
    }
  }
  read.answer.accepted = read.changes.length + read.runs.length;
  return read;
}

/** The events of a body; what is wrong with a line stands in its place. */
function eventsIn(bytes: Uint8Array): unknown[] {
  const text = Buffer.from(bytes).toString('utf8');
  if (text.trim() === '') throw new EventsError('empty', 'There is no event in it.');
  const whole = parsed(text);
  if (!(whole instanceof EventsError)) {
    const events: unknown[] = Array.isArray(whole) ? whole : [whole];
    if (events.length === 0) throw new EventsError('empty', 'There is no event in it.');
    return events;
  }
  if (whole.code === 'too-deep') throw whole;
  const lines = text.split('\n').filter((line) => line.trim() !== '');
  const events = lines.map(parsed);
  if (lines.length < 2 || events.every((event) => event instanceof EventsError)) throw whole;
  return events;
}

function parsed(text: string): unknown {
  // A list of events adds one.
  if (depthOf(Buffer.from(text), MOST_DEPTH + 1) > MOST_DEPTH + 1)
    return new EventsError('too-deep', `Lists and objects lie more than ${MOST_DEPTH} deep in one another.`);
  try {
    return JSON.parse(text) as unknown;
  } catch (error) {
    return new EventsError('not-json', `It is no JSON: ${error instanceof Error ? error.message : ''}.`);
  }
}
