import { isLoopback } from '../access/own-address.js';
import { availableParallelism, totalmem } from 'node:os';
import { resolve } from 'node:path';

interface Setting {
  name: string;
  fallback: string;
  meaning: string;
}

/** Every setting of the server, each an environment variable with a default that works. */
export const SETTINGS: readonly Setting[] = [
  { name: 'FLAIL_PORT', fallback: '4180', meaning: 'port of the interface and the API' },
  {
    name: 'FLAIL_HOST',
    fallback: '127.0.0.1',
    meaning: 'address to listen on; others than those of this machine alone need FLAIL_OPEN',
  },
  {
    name: 'FLAIL_PUBLIC_URL',
    fallback: '',
    meaning: 'address under which people reach it, where that is another, such as that of a proxy',
  },
  {
    name: 'FLAIL_OPEN',
    fallback: '',
    meaning: '"yes" where everybody who reaches it may read and change everything: there is no sign-in yet',
  },
  { name: 'FLAIL_DATA', fallback: './data/live', meaning: 'folder that holds the store' },
  {
    name: 'FLAIL_OTLP_PORT',
    fallback: '4318',
    meaning: 'port for the OpenTelemetry protocol alone, which its senders use unasked; 0 for none',
  },
  {
    name: 'FLAIL_SYSLOG_PORT',
    fallback: '5514',
    meaning: 'port for syslog over UDP and TCP; 0 for none',
  },
  {
    name: 'FLAIL_SCRAPE',
    fallback: '',
    meaning: 'pages of OpenMetrics that are fetched every 15 s, as SERVICE=URL, parted by commas',
  },
  { name: 'FLAIL_WATCH', fallback: '', meaning: 'folder whose files are followed as they grow' },
  {
    name: 'FLAIL_SCHEDULER',
    fallback: '',
    meaning: 'address of the scheduler that can stop a run (POST /runs/ID/stop) or try it again (…/retry)',
  },
  {
    name: 'FLAIL_CHANGE_CONTROL',
    fallback: '',
    meaning: 'address of the control that can take a change back (POST /changes/ID/revert)',
  },
  {
    name: 'FLAIL_INGEST_LANES',
    fallback: String(Math.min(4, availableParallelism())),
    meaning: 'worker threads that take in lines',
  },
  { name: 'FLAIL_QUERY_LANES', fallback: '2', meaning: 'worker threads that answer queries' },
  {
    name: 'FLAIL_CACHE_MB',
    fallback: String(Math.min(1024, Math.max(128, Math.floor(totalmem() / 8 / 1024 ** 2)))),
    meaning: 'memory for unpacked columns, all lanes together; an eighth of the machine, at most 1024',
  },
  {
    name: 'FLAIL_SERIES_DAYS',
    fallback: '0',
    meaning: 'days for which series are kept; 0 for without limit',
  },
];

export interface Config {
  port: number;
  host: string;
  /** An address, or empty for none. */
  publicUrl: string;
  /** True where it is reached from other machines, without sign-in. */
  open: boolean;
  data: string;
  /** 0 for none. */
  otlpPort: number;
  /** 0 for none. */
  syslogPort: number;
  /** A folder, or empty for none. */
  watch: string;
  scrape: { service: string; url: string }[];
  /** Addresses, or empty for none. */
  scheduler: string;
  changeControl: string;
  ingestLanes: number;
  queryLanes: number;
  cacheBytes: number;
  /** 0 for without limit. */
  seriesDays: number;
}

export const CONFIG = Symbol('config');

/** Reads the settings; throws with the name of a setting that makes no sense. */
export function configOf(environment: Record<string, string | undefined>): Config {
  const text = (name: string): string =>
    environment[name] ?? SETTINGS.find((setting) => setting.name === name)!.fallback;
  const whole = (name: string, least: number, most: number): number => {
    const value = Number(text(name));
    if (!Number.isInteger(value) || value < least || value > most) {
      throw new Error(`${name} must be a whole number from ${least} to ${most}, not "${text(name)}".`);
    }
    return value;
  };
  const host = text('FLAIL_HOST');
  const open = !isLoopback(host);
  if (!/^(?:|yes|no)$/.test(text('FLAIL_OPEN')))
    throw new Error(`FLAIL_OPEN is "yes" or left out, not "${text('FLAIL_OPEN')}".`);
  if (open && text('FLAIL_OPEN') !== 'yes')
    throw new Error(
      `FLAIL_HOST is ${host}, which other machines reach, and there is no sign-in: everybody there could read and change everything. Set FLAIL_OPEN=yes if that is meant.`,
    );
  return {
    port: whole('FLAIL_PORT', 0, 65_535),
    host,
    publicUrl: addressOf('FLAIL_PUBLIC_URL', text('FLAIL_PUBLIC_URL')),
    open,
    data: resolve(text('FLAIL_DATA')),
    otlpPort: whole('FLAIL_OTLP_PORT', 0, 65_535),
    syslogPort: whole('FLAIL_SYSLOG_PORT', 0, 65_535),
    watch: text('FLAIL_WATCH') === '' ? '' : resolve(text('FLAIL_WATCH')),
    scrape: targetsOf(text('FLAIL_SCRAPE')),
    scheduler: addressOf('FLAIL_SCHEDULER', text('FLAIL_SCHEDULER')),
    changeControl: addressOf('FLAIL_CHANGE_CONTROL', text('FLAIL_CHANGE_CONTROL')),
    ingestLanes: whole('FLAIL_INGEST_LANES', 1, 64),
    queryLanes: whole('FLAIL_QUERY_LANES', 1, 64),
    cacheBytes: whole('FLAIL_CACHE_MB', 16, 65_536) * 1024 * 1024,
    seriesDays: whole('FLAIL_SERIES_DAYS', 0, 36_500),
  };
}

function addressOf(name: string, text: string): string {
  if (text !== '' && !/^https?:\/\/[^/]+/.test(text))
    throw new Error(`${name} is an address such as http://127.0.0.1:4191, not "${text}".`);
  return text.replace(/\/$/, '');
}

/** Pages of measurements, as SERVICE=URL. */
function targetsOf(text: string): Config['scrape'] {
  return text
    .split(',')
    .map((one) => one.trim())
    .filter((one) => one !== '')
    .map((one) => {
      const [, service, url] = /^([^=:/]+)=(https?:\/\/.+)$/.exec(one) ?? [];
      if (service === undefined || !URL.canParse(url!))
        throw new Error(`FLAIL_SCRAPE names pages as SERVICE=URL, not "${one}".`);
      return { service, url: url! };
    });
}

export const settingsHelp = (): string =>
  SETTINGS.map(
    ({ name, fallback, meaning }) => `  ${name.padEnd(20)} ${meaning} (${fallback || 'none'})`,
  ).join('\n');
