import { Command } from 'commander';
import { createHash } from 'node:crypto';
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { Fleet } from './fleet.js';
import { Sender } from './sending/sender.js';
import { HOUR, MINUTE } from './world/clock.js';
import type { Line } from './world/line.js';

interface Options {
  url: string;
  seed: string;
  now?: string;
  scale: string;
  data: string;
  live: boolean;
  dry: boolean;
  episode: boolean;
}

/** Where a run has got to; kept so that the next start goes on with the same data. */
interface State {
  seed: string;
  anchor: number;
  scale: number;
  until: number;
}

/** A gap of up to this long is filled at the next start. */
export const LONGEST_GAP = HOUR;

const program = new Command('fleet')
  .description('The simulated fleet of a ferry operator: eight days of log lines, then live.')
  .option('--url <url>', 'address of the server', 'http://127.0.0.1:4180')
  .option('--seed <seed>', 'what chance depends on', 'demo')
  .option('--now <moment>', 'the moment that history leads up to, RFC 3339 (default: this moment)')
  .option('--scale <factor>', 'how much traffic there is', '1')
  .option('--data <folder>', 'folder for truth.json and the state of the run', 'data/demo')
  .option('--no-live', 'end with the history')
  .option('--no-episode', 'leave the episode out')
  .option('--dry', 'send nothing; print how many lines there are and their digest', false)
  .parse();

const options = program.opts<Options>();
const stateFile = join(options.data, 'fleet.json');

function savedState(): State | undefined {
  try {
    return JSON.parse(readFileSync(stateFile, 'utf8')) as State;
  } catch {
    return undefined;
  }
}

function wantedState(): State {
  const saved = savedState();
  const anchor = options.now === undefined ? Date.now() : Date.parse(options.now);
  if (Number.isNaN(anchor)) program.error(`--now is not a moment in RFC 3339: ${options.now}`);
  const scale = Number(options.scale);
  if (!(scale > 0 && scale <= 1000))
    program.error(`--scale must be a number from above 0 to 1000, not ${options.scale}`);
  const same = saved?.seed === options.seed && saved.scale === scale;
  if (same && options.now === undefined && Date.now() - saved.until < LONGEST_GAP) return saved;
  return { seed: options.seed, anchor, scale, until: 0 };
}

/** History is sent in stretches of whole minutes with about this many lines. */
const STRETCH_LINES = 64_000;

async function history(fleet: Fleet, state: State, sender: Sender, end: number): Promise<void> {
  const total = end - fleet.start;
  let sent = 0;
  const started = Date.now();
  let previous: Promise<unknown> = Promise.resolve();
  for (let start = state.until || fleet.start; start < end;) {
    const known = start;
    const lines: Line[] = [];
    let to = Math.floor(start / MINUTE) * MINUTE;
    for (; to < end && lines.length < STRETCH_LINES; to += MINUTE) {
      lines.push(...fleet.minute(to).filter(({ at }) => at >= known));
    }
    // The next stretch is made while this one is on its way.
    await previous;
    const name = new Date(start).toISOString();
    previous = sender.send(name, lines).then(() => remember({ ...state, until: to }));
    sent += lines.length;
    start = to;
    if (process.stdout.isTTY)
      process.stdout.write(
        `\rHistory: ${Math.round((100 * (to - fleet.start)) / total)}%, ${sent.toLocaleString('en')} lines `,
      );
  }
  await previous;
  if (sent > 0) {
    const seconds = ((Date.now() - started) / 1000).toFixed(0);
    console.log(
      `${process.stdout.isTTY ? '\r' : ''}History is complete: ${sent.toLocaleString('en')} lines in ${seconds} s.`,
    );
  }
}

function remember(state: State): void {
  writeFileSync(stateFile, JSON.stringify(state));
}

/** Sends the lines of each moment when it has come. */
async function live(fleet: Fleet, state: State, sender: Sender, from: number): Promise<never> {
  const every = 1000;
  const waiting: Line[] = [];
  for (let minute = Math.floor(from / MINUTE) * MINUTE; ; minute += MINUTE) {
    waiting.push(...fleet.minute(minute).filter(({ at }) => at >= from));
    waiting.sort((a, b) => a.at - b.at);
    while (Date.now() < minute + MINUTE) {
      await new Promise((resolve) => setTimeout(resolve, every));
      const now = Date.now();
      const due = waiting.findIndex(({ at }) => at > now);
      const ready = waiting.splice(0, due < 0 ? waiting.length : due);
      if (ready.length > 0) await sender.send(`live ${now}`, ready);
      remember({ ...state, until: now + 1 });
    }
  }
}

const state = wantedState();
const fleet = new Fleet({ ...state, ...(!options.episode && { leaseCut: null }) });
const reached = options.now === undefined && options.live ? Date.now() : state.anchor;
const end = Math.max(fleet.start, state.until, Math.floor(reached / MINUTE) * MINUTE);

if (options.dry) {
  const digest = createHash('sha256');
  let count = 0;
  for (let minute = fleet.start; minute < end; minute += MINUTE) {
    for (const { text } of fleet.minute(minute)) {
      digest.update(text).update('\n');
      count++;
    }
  }
  console.log(`${count} lines, sha256 ${digest.digest('hex')}`);
} else {
  mkdirSync(options.data, { recursive: true });
  writeFileSync(join(options.data, 'truth.json'), JSON.stringify(fleet.truth(), null, 2));
  const sender = new Sender(options.url, `${state.seed}/${state.anchor}/${state.scale}`);
  await history(fleet, state, sender, end);
  if (options.live) await live(fleet, state, sender, end);
}
