import { isObject } from '../records/objects.js';
import { isMoment, MOMENTS_TEXT } from '../time/range.js';

/** Something that was changed, or that changed by itself: what, where, from what to what, by whom. */
export interface Change {
  /** Who tells of it, and under which id: together they are one of a kind. */
  source: string;
  id: string;
  /** Microseconds since 1970. */
  at: number;
  kind: ChangeKind;
  title: string;
  /** Service, instance, host, site. */
  entity: Record<string, string>;
  /** The event as it came. */
  body: Record<string, unknown>;
}

export const CHANGE_KINDS = [
  'deployment',
  'configuration',
  'scaling',
  'restart',
  'readiness',
  'time sync',
  'other',
] as const;
export type ChangeKind = (typeof CHANGE_KINDS)[number];

/** Words of an event's type that tell its kind. */
const KIND_WORDS: [RegExp, ChangeKind][] = [
  [/time.?sync|ntp|clock/, 'time sync'],
  [/deploy|release|rollout|upgrade/, 'deployment'],
  [/config|setting|flag|parameter/, 'configuration'],
  [/scal|replica|capacity/, 'scaling'],
  [/restart|reboot|crash|start|stop|kill/, 'restart'],
  [/readiness|ready|probe|health/, 'readiness'],
];

const ENTITY = ['service', 'instance', 'host', 'site'];

/** An event that is none, and why. */
export class NoChangeError extends Error {}

/** Reads an event as of CloudEvents 1.0 in JSON. Throws on what is none. */
export function changeOf(event: unknown, arrival: number): Change {
  if (!isObject(event)) throw new NoChangeError('An event is an object.');
  if (event.specversion !== '1.0')
    throw new NoChangeError('An event names its "specversion", which is "1.0".');
  for (const name of ['id', 'source', 'type'] as const) {
    const value = event[name];
    if (typeof value !== 'string' || value === '') throw new NoChangeError(`An event has a "${name}".`);
  }
  const { id, source, type } = event as { id: string; source: string; type: string };
  const at = event.time === undefined ? arrival : microsOfTime(event.time);
  const data = isObject(event.data) ? event.data : {};
  const kind = KIND_WORDS.find(([words]) => words.test(type.toLowerCase()))?.[1] ?? 'other';
  const entity = entityOf(event, data);
  return { source, id, at, kind, title: titleOf(data, kind, type, entity), entity, body: event };
}

function microsOfTime(time: unknown): number {
  const millis = typeof time === 'string' ? Date.parse(time) : NaN;
  if (!isMoment(millis * 1000) || !/[zZ]|[+-]\d\d:?\d\d$/.test(String(time)))
    throw new NoChangeError(`The "time" of an event is a moment in RFC 3339, ${MOMENTS_TEXT}.`);
  return millis * 1000;
}

/** What the event is about: by name in its data, else its subject. */
function entityOf(event: Record<string, unknown>, data: Record<string, unknown>): Record<string, string> {
  const entity: Record<string, string> = {};
  for (const name of ENTITY) {
    const value = data[name] ?? data[`${name}.name`];
    if (typeof value === 'string' && value !== '') entity[name] = value;
  }
  const { subject } = event;
  if (Object.keys(entity).length === 0 && typeof subject === 'string' && subject !== '') {
    // Subjects mostly are paths, such as services/NAME.
    const parts = subject.split('/').filter(Boolean);
    const what = ENTITY.find((name) => parts[0] === name || parts[0] === `${name}s`);
    entity[what ?? 'service'] = (what && parts.length > 1 ? parts.slice(1).join('/') : subject).slice(0, 200);
  }
  return entity;
}

function titleOf(
  data: Record<string, unknown>,
  kind: ChangeKind,
  type: string,
  entity: Record<string, string>,
): string {
  for (const name of ['title', 'summary', 'message']) {
    const value = data[name];
    if (typeof value === 'string' && value !== '') return value.slice(0, 300);
  }
  const where = entity.instance ?? entity.service ?? entity.host ?? entity.site;
  const what = kind === 'other' ? type : kind;
  const key = typeof data.key === 'string' ? ` ${data.key}` : '';
  const step =
    data.from !== undefined && data.to !== undefined ? `: ${asText(data.from)} → ${asText(data.to)}` : '';
  return `${what}${key}${where === undefined ? '' : ` of ${where}`}${step}`.slice(0, 300);
}

const asText = (value: unknown): string => (typeof value === 'string' ? value : JSON.stringify(value));
