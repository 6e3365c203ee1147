/**
 * Names under which senders write what Flail joins on, mapped to one name each. The names on the right
 * are those shown and queried; the left ones are common spellings, the semantic conventions' included.
 */
const ALIASES = new Map<string, string>([
  ['time', 'time'],
  ['timestamp', 'time'],
  ['@timestamp', 'time'],
  ['ts', 'time'],
  ['datetime', 'time'],
  ['date', 'time'],
  ['level', 'level'],
  ['severity', 'level'],
  ['severity_text', 'level'],
  ['severitytext', 'level'],
  ['lvl', 'level'],
  ['loglevel', 'level'],
  ['log.level', 'level'],
  ['message', 'text'],
  ['msg', 'text'],
  ['text', 'text'],
  ['body', 'text'],
  ['event', 'text'],
  ['service', 'service'],
  ['service.name', 'service'],
  ['service_name', 'service'],
  ['instance', 'instance'],
  ['service.instance.id', 'instance'],
  ['instance_id', 'instance'],
  ['host', 'host'],
  ['hostname', 'host'],
  ['host.name', 'host'],
  ['site', 'site'],
  ['trace', 'trace'],
  ['trace_id', 'trace'],
  ['traceid', 'trace'],
  ['trace.id', 'trace'],
  ['span', 'span'],
  ['span_id', 'span'],
  ['spanid', 'span'],
  ['span.id', 'span'],
  ['run', 'run'],
  ['run_id', 'run'],
  ['runid', 'run'],
]);

/** The name under which a sender's field is queried. Unknown names stay as they are. */
export function fieldName(raw: string): string {
  return ALIASES.get(raw) ?? ALIASES.get(raw.toLowerCase()) ?? raw;
}

/** Fields by which records are joined with each other and with what else is known. */
export const JOINED_FIELDS: ReadonlySet<string> = new Set(ALIASES.values());

/** Fields that every record has, whatever its sender wrote. */
export const RECORD_FIELDS = ['time', 'level', 'service', 'source', 'text'] as const;
