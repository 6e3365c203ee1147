/** What questions may name, of what is held. */
export interface Vocabulary {
  services: readonly string[];
  operations: readonly { service: string; operation: string }[];
  jobs: readonly string[];
  /** Fields of lines and of requests. */
  fields: readonly string[];
  /** Parameters of runs. */
  parameters: readonly string[];
  /** Values that name a thing by themselves: instances, hosts, sites. */
  values: readonly { field: string; value: string }[];
}

/** Something of the vocabulary that a sentence names. */
export type Named =
  | { kind: 'service'; service: string }
  | { kind: 'operation'; service: string; operation: string }
  | { kind: 'job'; job: string }
  | { kind: 'field'; field: string; parameter: boolean; recorded: boolean }
  | { kind: 'value'; field: string; value: string };

/** A word of a sentence, or what it names together with those after it. */
export type Token = { word: string; text: string } | { named: Named; text: string };

/** Words that carry nothing of their own. */
export const STOP = new Set(
  'a an the of in on at by to for from with and or is are was were be been do does did has have had there it its this that these those they them i we me us our my any some all as than then now please can could would tell give about into out up so just only what which who whom whose where when how much many most more often no not same per each other one ones get got gets thing things time times happen happens happened'.split(
    ' ',
  ),
);

const MOST_WORDS = 4;

/** Other words for the fields that every sender declares. */
const PLACES: Record<string, string> = {
  machine: 'host',
  server: 'host',
  version: 'service.version',
  replica: 'instance',
};

/** Letters and digits only, in lower case: how `vessel_class` and "vessel class" are the same. */
const folded = (text: string): string => text.toLowerCase().replaceAll(/[^\p{L}\p{N}]+/gu, '');

/** The singular of an English noun, as far as rules go. */
export function singular(word: string): string {
  if (/(ss|us|is)$/.test(word)) return word;
  if (/ies$/.test(word)) return `${word.slice(0, -3)}y`;
  if (/(sses|shes|ches|xes|zes)$/.test(word)) return word.slice(0, -2);
  return word.endsWith('s') ? word.slice(0, -1) : word;
}

/** Finds what words name. */
export class Names {
  private readonly known = new Map<string, Named>();

  constructor({ services, operations, jobs, fields, parameters, values }: Vocabulary) {
    // Of several of the same name the last one stays: services and jobs are named more often than values.
    for (const { field, value } of values) this.know(value, { kind: 'value', field, value });
    const last = new Map<string, string[]>();
    const all = [...new Set([...fields, ...parameters])];
    for (const field of all) {
      const tail = field.split('.').at(-1)!;
      last.set(tail, [...(last.get(tail) ?? []), field]);
    }
    const named = (field: string): Named => ({
      kind: 'field',
      field,
      parameter: parameters.includes(field),
      recorded: fields.includes(field),
    });
    // `route` for `http.route`, where no other field ends with it.
    for (const [tail, own] of last) if (own.length === 1) this.know(tail, named(own[0]!));
    for (const field of all) this.know(field, named(field));
    for (const [word, field] of Object.entries(PLACES))
      if (all.includes(field)) this.know(word, named(field));
    for (const one of operations) this.know(one.operation, { kind: 'operation', ...one });
    for (const job of jobs) this.know(job, { kind: 'job', job });
    for (const service of services) this.know(service, { kind: 'service', service });
  }

  /** A sentence as words and names, the longest names first. */
  tokens(sentence: string): Token[] {
    const words = sentence.split(/[\s,;?!]+/).filter((word) => word !== '');
    const found: Token[] = [];
    for (let at = 0; at < words.length;) {
      let taken = 1;
      let token: Token = { word: words[at]!.toLowerCase().replace(/[.:]+$/, ''), text: words[at]! };
      for (let length = Math.min(MOST_WORDS, words.length - at); length > 0; length--) {
        const text = words.slice(at, at + length).join(' ');
        const named = this.named(text);
        if (!named) continue;
        token = { named, text };
        taken = length;
        break;
      }
      found.push(token);
      at += taken;
    }
    return found;
  }

  private named(text: string): Named | undefined {
    return this.known.get(folded(text)) ?? this.known.get(folded(singular(text)));
  }

  private know(name: string, named: Named): void {
    const key = folded(name);
    // A field may be called as a word is that only joins others.
    if (key.length > 1 && !STOP.has(key)) this.known.set(key, named);
  }
}
