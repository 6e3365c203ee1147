import { isoTime } from './clock.js';
import { type Instance, serviceNamed } from './company.js';

/** A line as an instance writes it, with the moment at which it does. */
export interface Line {
  /** Milliseconds since 1970, with a fraction. */
  at: number;
  from: Instance;
  level: Level;
  text: string;
}

/** Levels of lines, the lowest first. */
export const LEVELS = ['DEBUG', 'INFO', 'WARN', 'ERROR'] as const;
export type Level = (typeof LEVELS)[number];
export type Fields = Record<string, string | number>;

const MONTHS = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec'];

/** Severities of syslog. */
const SEVERITY: Record<Level, number> = { DEBUG: 7, INFO: 6, WARN: 4, ERROR: 3 };
const PROCESS_ID = 4711;

/** A line in the manner of its service. */
export function say(from: Instance, at: number, level: Level, text: string, fields: Fields = {}): Line {
  switch (serviceNamed(from.service).speech) {
    case 'json': {
      const body = {
        ts: isoTime(at),
        level: level.toLowerCase(),
        service: from.service,
        instance: from.name,
        host: from.host,
        site: from.site,
        msg: text,
        ...fields,
      };
      return { at, from, level, text: JSON.stringify(body) };
    }
    case 'logfmt': {
      const more = Object.entries(fields).map(([name, value]) => ` ${name}=${value}`);
      return {
        at,
        from,
        level,
        text: `ts=${isoTime(at)} level=${level.toLowerCase()} instance=${from.name} msg=${JSON.stringify(text)}${more.join('')}`,
      };
    }
    case 'plain': {
      const [first, ...rest] = text.split('\n');
      const more = Object.entries(fields).map(([name, value]) => ` ${name}=${value}`);
      const clock = isoTime(at).slice(0, 23).replace('T', ' ').replace('.', ',');
      const line = `${clock} ${level.padEnd(5)} [${from.service}] ${first}${more.join('')}`;
      return { at, from, level, text: [line, ...rest].join('\n') };
    }
    case 'syslog': {
      const data = Object.entries(fields).map(
        ([name, value]) => ` ${name}="${String(value).replace(/["\\\]]/g, '\\$&')}"`,
      );
      // Facility 2 is mail.
      const head = `<${2 * 8 + SEVERITY[level]}>1 ${isoTime(at)} ${from.host} ${from.service} ${PROCESS_ID} - `;
      return {
        at,
        from,
        level,
        text: `${head}${data.length > 0 ? `[notice@32473${data.join('')}]` : '-'} ${text}`,
      };
    }
    case 'access':
      throw new Error('An edge writes access lines only.');
  }
}

export interface Access {
  method: string;
  path: string;
  status: number;
  bytes: number;
  client: string;
  agent: string;
}

/** A line of the edge, in the combined access format. */
export function access(
  from: Instance,
  at: number,
  { method, path, status, bytes, client, agent }: Access,
): Line {
  const time = isoTime(at);
  const date = `${time.slice(8, 10)}/${MONTHS[Number(time.slice(5, 7)) - 1]}/${time.slice(0, 4)}:${time.slice(11, 19)} +0000`;
  return {
    at,
    from,
    level: status >= 500 ? 'ERROR' : status >= 400 ? 'WARN' : 'INFO',
    text: `${client} - - [${date}] "${method} ${path} HTTP/1.1" ${status} ${bytes} "-" "${agent}"`,
  };
}
