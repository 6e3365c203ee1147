import { PORTS, SERVICES, SITES, VESSELS } from './company.js';
import type { Random } from './random.js';

/** Words of messages, metrics and jobs that tests draw anew, so that nothing can be found by knowing them. None of them is a word of the protocols that they are sent by. */
const WORDS = [
  ...['lease', 'leases', 'fencing', 'token', 'rejected', 'granted', 'berth', 'berths', 'boarding', 'boarded'],
  ...['passengers', 'sailing', 'sailings', 'shallow', 'calibration', 'offset', 'datum', 'gateway', 'notice'],
  ...['refused', 'manifest', 'settled', 'residency', 'quote', 'quotes', 'priced', 'tide', 'hull_tiles'],
  ...[
    'manifest-export',
    'tide-import',
    'pass-settlement',
    'fare-table-rebuild',
    'lease_time',
    'library_version',
  ],
  ...['vessel_class', 'concession', 'sessions', 'session', 'operations', 'boardings', 'revenue', 'encode'],
];

const SYLLABLES =
  'ba be bo da de do fa fe fo ga go ka ke ko la le lo ma me mo na ne no pa pe po ra re ro sa so ta te to va ve vo za zo'.split(
    ' ',
  );

/** Gives what the fleet is made of other names, the same everywhere. */
export type Disguise = (text: string) => string;

/** Draws other names for services, sites, ports, classes of vessel, jobs and words of messages. */
export function drawDisguise(random: Random): Disguise {
  const names = new Map<string, string>();
  const taken = new Set<string>();
  const draw = (): string => {
    for (;;) {
      const word = Array.from({ length: 3 }, () => random.pick(SYLLABLES)).join('');
      if (taken.has(word)) continue;
      taken.add(word);
      return word;
    }
  };
  const all = [...SERVICES.map(({ name }) => name), ...SITES, ...PORTS, ...VESSELS, ...WORDS];
  for (const name of all)
    names.set(
      name,
      name
        .split(/([-_])/)
        .map((part) => (/^[-_]$/.test(part) ? part : draw()))
        .join(''),
    );
  // The longest first: a name may begin with another.
  const choices = all.sort((a, b) => b.length - a.length).join('|');
  const pattern = new RegExp(`(?<![A-Za-z0-9_])(?:${choices})(?![A-Za-z0-9])`, 'g');
  return (text) => text.replace(pattern, (name) => names.get(name)!);
}
