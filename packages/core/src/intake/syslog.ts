import type { ShapeBook } from '../records/shape.js';
import { bsdTimeAt, isoAt, type Timestamp } from '../records/timestamps.js';
import { Cuts, Settler, type ParsedLine, type Reader } from './reader.js';

/** `<priority>1 time host app process message-id [data] text`, as of RFC 5424. */
const HEAD = /^<(\d{1,3})>1 (\S+) (\S+) (\S+) (\S+) (\S+) /;
/** `<priority>Mar  2 18:00:00 host app[process]: text`, as of RFC 3164; files mostly leave out the priority. */
const OLD_HEAD =
  /^(?:<(\d{1,3})>)?([A-Z][a-z]{2} [ \d]\d \d\d:\d\d:\d\d) (\S*[^\s:]) ([^\s:[\]]{1,64})(?:\[(\d+)\])?: ?/;
/** The same with a full time, as newer loggers write it: only with a process, since other lines look alike. */
const FULL_HEAD = /^(?:<(\d{1,3})>)?(\d{4}-\d\d-\d\dT\S+) (\S+) ([^\s:[\]]{1,64})\[(\d+)\]: ?/;
const PARAMETER = / ([^\s="\]]{1,64})="((?:[^"\\\]]|\\.)*)"/y;
const ELEMENT = /\[([^\s="\]]{1,64})/y;

/** Level of each severity, from emergency to debug. */
const LEVEL_OF_SEVERITY = [6, 6, 6, 5, 4, 3, 3, 2];
const HIGHEST_PRIORITY = 191;

const decodeParameter = (raw: string): string => raw.replace(/\\(["\\\]])/g, '$1');

/** Reads syslog lines in the forms of RFC 5424 and RFC 3164. Structured data become fields. */
export class SyslogReader implements Reader {
  readonly format = 'syslog';
  private readonly settler: Settler;
  private readonly cuts = new Cuts();

  constructor(book: ShapeBook) {
    this.settler = new Settler('syslog', book, (name) => name);
  }

  read(line: string): ParsedLine | undefined {
    const priority = this.cut(line) ?? this.cutOld(line);
    if (priority === undefined) return undefined;
    const now = Date.now() * 1000;
    const parsed = this.settler.settle(line, this.cuts, (value) => timeOf(value, now));
    // Files that leave the priority out tell no level.
    if (parsed && priority !== NO_PRIORITY) parsed.level = LEVEL_OF_SEVERITY[priority & 7]!;
    return parsed;
  }

  /** Cuts a line of the newer form; returns its priority. */
  private cut(line: string): number | undefined {
    const head = HEAD.exec(line);
    if (!head || Number(head[1]) > HIGHEST_PRIORITY) return undefined;
    if (head[2] !== '-' && !isoAt(head[2]!, 0)) return undefined;
    this.cuts.begin(line);
    const names = ['priority', 'time', 'host', 'service', 'process.id', 'message.id'];
    let at = 1;
    for (const [index, name] of names.entries()) {
      const value = head[index + 1]!;
      // A dash stands for nothing.
      if (value !== '-') this.cuts.value(name, at, at + value.length, 'none');
      at += value.length + (index === 0 ? '>1 '.length : 1);
    }
    const end = line[at] === '-' ? at + 1 : this.data(line, at);
    if (end === undefined || (end < line.length && line[end] !== ' ')) return undefined;
    // A mark of the byte order is not part of the text.
    const from = Math.min(line.length, end + 1) + (line.charCodeAt(end + 1) === 0xfeff ? 1 : 0);
    this.cuts.value('text', from, line.length, 'none');
    this.cuts.end();
    return Number(head[1]);
  }

  /** Cuts structured data; returns where they end. */
  private data(line: string, from: number): number | undefined {
    let at = from;
    const seen = new Set<string>(['priority', 'time', 'host', 'service', 'text']);
    while (line[at] === '[') {
      ELEMENT.lastIndex = at;
      const element = ELEMENT.exec(line);
      if (!element) return undefined;
      at = ELEMENT.lastIndex;
      for (;;) {
        PARAMETER.lastIndex = at;
        const parameter = PARAMETER.exec(line);
        if (!parameter) break;
        const start = at + parameter[1]!.length + 3;
        const name = seen.has(parameter[1]!) ? `${element[1]!}.${parameter[1]!}` : parameter[1]!;
        seen.add(name);
        const value = parameter[2]!;
        this.cuts.value(
          name,
          start,
          start + value.length,
          'logfmt',
          /[\\\t]/.test(value) ? decodeParameter : undefined,
        );
        at = PARAMETER.lastIndex;
      }
      if (line[at] !== ']') return undefined;
      at++;
    }
    return at === from ? undefined : at;
  }

  private cutOld(line: string): number | undefined {
    const head = OLD_HEAD.exec(line) ?? FULL_HEAD.exec(line);
    if (!head) return undefined;
    const [whole, priority, time, host, app, process] = head as unknown as string[];
    if (Number(priority ?? 0) > HIGHEST_PRIORITY || !timeOf(time!, Date.now() * 1000)) return undefined;
    this.cuts.begin(line);
    let at = 0;
    if (priority !== undefined) {
      this.cuts.value('priority', 1, 1 + priority.length, 'none');
      at = priority.length + 2;
    }
    const take = (name: string, value: string, gap: number): void => {
      this.cuts.value(name, at, at + value.length, 'none');
      at += value.length + gap;
    };
    take('time', time!, 1);
    take('host', host!, 1);
    take('service', app!, 1);
    if (process !== undefined) take('process.id', process, 0);
    this.cuts.value('text', whole!.length, line.length, 'none');
    this.cuts.end();
    return priority === undefined ? NO_PRIORITY : Number(priority);
  }
}

const NO_PRIORITY = -1;

function timeOf(value: string, now: number): Timestamp | undefined {
  const found = isoAt(value, 0) ?? bsdTimeAt(value, 0, now);
  return found?.end === value.length ? found : undefined;
}
