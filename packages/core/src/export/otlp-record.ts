import { LEVELS } from '../records/levels.js';
import { OWN_SOURCE } from '../otlp/resource.js';
import type { WholeRecord } from './record-texts.js';

/** What the names that Flail joins on are called by the semantic conventions. */
const CONVENTIONS: Record<string, string> = {
  service: 'service.name',
  instance: 'service.instance.id',
  host: 'host.name',
};
const OWN = new Set(['time', 'level', 'text', 'trace', 'span', 'service']);

const attribute = (key: string, value: string): object => ({ key, value: { stringValue: value } });

/** The first of the four numbers that stand for a level. */
const severityOf = (level: number): number => (level === 0 ? 0 : level * 4 - 3);

/** A record as an export request of OTLP/HTTP in JSON with one log record in it. */
export function otlpRecord({ micros, level, service, source, text, fields, sender }: WholeRecord): object {
  const resource = { service, [OWN_SOURCE]: source, ...sender };
  const { trace, span } = fields;
  return {
    resourceLogs: [
      {
        resource: {
          attributes: Object.entries(resource).map(([name, value]) =>
            attribute(CONVENTIONS[name] ?? name, value),
          ),
        },
        scopeLogs: [
          {
            logRecords: [
              {
                timeUnixNano: `${micros}000`,
                ...(level > 0 && { severityNumber: severityOf(level), severityText: LEVELS[level] }),
                body: { stringValue: text },
                ...(trace !== undefined && /^[\da-f]{32}$/i.test(trace) && { traceId: trace }),
                ...(span !== undefined && /^[\da-f]{16}$/i.test(span) && { spanId: span }),
                attributes: Object.entries(fields)
                  .filter(([name]) => !OWN.has(name))
                  .map(([name, value]) => attribute(name, value)),
              },
            ],
          },
        ],
      },
    ],
  };
}
