/** Who and what there is at Kittiwake Lines. All of it is made up. */
export const SITES = ['north-quay', 'south-quay'] as const;
export type Site = (typeof SITES)[number];

export const PORTS = ['skerry', 'holm', 'tarn', 'brannay', 'osprey-rock', 'little-eider'] as const;
export const VESSELS = ['ro-ro', 'catamaran', 'monohull', 'launch'] as const;
export const CONCESSIONS = [
  'none',
  'none',
  'none',
  'none',
  'none',
  'child',
  'islander',
  'islander',
  'crew',
] as const;
export const CLIENT_VERSIONS = ['5.8.0', '5.8.1', '5.9.0', '5.9.2'] as const;

/** How a service writes its log lines. */
export type Speech = 'access' | 'json' | 'logfmt' | 'plain' | 'syslog';

export interface Instance {
  service: string;
  name: string;
  host: string;
  site: Site;
}

interface Service {
  name: string;
  instances: number;
  speech: Speech;
  version: string;
}

export const SERVICES: readonly Service[] = [
  { name: 'gate-edge', instances: 4, speech: 'access', version: '1.22.3' },
  { name: 'boarding-api', instances: 6, speech: 'json', version: '3.41.0' },
  { name: 'sailing-planner', instances: 4, speech: 'json', version: '2.9.4' },
  { name: 'berth-allocator', instances: 4, speech: 'logfmt', version: '1.17.0' },
  { name: 'fare-quoter', instances: 4, speech: 'json', version: '2.14.0' },
  { name: 'residency-registry', instances: 2, speech: 'json', version: '1.5.2' },
  { name: 'manifest-writer', instances: 2, speech: 'plain', version: '4.2.0' },
  { name: 'notice-sender', instances: 2, speech: 'syslog', version: '2.2.1' },
  { name: 'tide-feed', instances: 1, speech: 'logfmt', version: '0.9.8' },
  { name: 'ledger-db', instances: 1, speech: 'plain', version: '15.3' },
  { name: 'lock-store', instances: 1, speech: 'plain', version: '3.5.0' },
];

/** The instances of every service, spread over both sites' hosts in turn. */
export const INSTANCES: ReadonlyMap<string, readonly Instance[]> = new Map(
  SERVICES.map(({ name, instances }, offset) => [
    name,
    Array.from({ length: instances }, (_, index): Instance => {
      const site = SITES[index % 2]!;
      const host = `${site === 'north-quay' ? 'nq' : 'sq'}-0${((offset + (index >> 1)) % 6) + 1}`;
      return { service: name, name: `${name}-${index + 1}`, host, site };
    }),
  ]),
);

export const serviceNamed = (name: string): Service => SERVICES.find((service) => service.name === name)!;
