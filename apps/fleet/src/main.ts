import { Command, Option } from 'commander';
import { createHash } from 'node:crypto';
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { EPISODES, type EpisodeId, placed, type Placements, usualPlacements } from './episodes/placement.js';
import { type Variant, VARIANTS } from './episodes/variants.js';
import { Fleet } from './fleet.js';
import { Sender, SPANS_AT_ONCE } from './sending/sender.js';
import { StandIns } from './stand-ins/stand-ins.js';
import { HOUR, MINUTE, SECOND } from './world/clock.js';
import { type Disguise, drawDisguise } from './world/disguise.js';
import { Random } from './world/random.js';
import { LiveClock, SPEEDS, speedOf } from './world/live-clock.js';
import { addSignals, noSignals, type Signals } from './world/signals.js';

interface Options {
  url: string;
  seed: string;
  now?: string;
  scale: string;
  data: string;
  live: boolean;
  dry: boolean;
  episode: string[] | boolean;
  at?: string;
  strength: string;
  standIns: string;
  speed?: string;
  disguise?: string;
  variant: Variant[];
}

/** Where a run has got to; kept so that the next start goes on with the same data. */
interface State {
  seed: string;
  anchor: number;
  scale: number;
  episodes: Placements;
  until: number;
  /** Whether the weeks before the history are sent too. */
  complete?: boolean;
}

/** A gap of up to this long is filled at the next start. */
export const LONGEST_GAP = HOUR;

const program = new Command('fleet')
  .description('The simulated fleet of a ferry operator: eight days of lines, requests and runs, then live.')
  .option('--url <url>', 'address of the server', 'http://127.0.0.1:4180')
  .option('--seed <seed>', 'what chance depends on', 'demo')
  .option('--now <moment>', 'the moment that history leads up to, RFC 3339 (default: this moment)')
  .option('--scale <factor>', 'how much traffic there is', '1')
  .option('--data <folder>', 'folder for truth.json and the state of the run', 'data/demo')
  .option('--episode <id...>', `only these episodes (${EPISODES.join(', ')})`)
  .option('--no-episode', 'leave all episodes out')
  .option('--at <moment>', 'when the episode named begins, RFC 3339')
  .option('--strength <factor>', 'how strong the episodes are', '1')
  .option('--stand-ins <port>', 'port of the stand-ins for outside systems; 0 for none', '4191')
  .option('--disguise <seed>', 'give services, ports, jobs and words of messages other names, for tests')
  .addOption(
    new Option('--variant <name...>', 'make it harder to find the cause, for tests')
      .choices(VARIANTS)
      .default([]),
  )
  .option('--speed <times>', `how fast it goes on after its history: ${SPEEDS.join(', ')}`)
  .option('--no-live', 'end with the history')
  .option('--dry', 'send nothing; print how much there is and its digest', false)
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

function momentOf(name: string, text: string): number {
  const moment = Date.parse(text);
  if (Number.isNaN(moment)) program.error(`--${name} is not a moment in RFC 3339: ${text}`);
  return moment;
}

function wantedEpisodes(anchor: number): Placements {
  const usual = usualPlacements(anchor);
  const strength = Number(options.strength);
  if (!(strength > 0 && strength <= 10))
    program.error(`--strength must be a number from above 0 to 10, not ${options.strength}`);
  if (options.episode === false) return {};
  const named = Array.isArray(options.episode) ? options.episode : [...EPISODES];
  const unknown = named.find((id) => !(EPISODES as readonly string[]).includes(id));
  if (unknown !== undefined)
    program.error(`There is no episode ${unknown}; there are ${EPISODES.join(', ')}.`);
  if (options.at !== undefined && named.length !== 1) program.error('--at needs one --episode.');
  return Object.fromEntries(
    (named as EpisodeId[]).map((id) => {
      if (options.at !== undefined) return [id, placed(id, momentOf('at', options.at), strength)];
      return [id, { ...usual[id]!, strength }];
    }),
  );
}

function wantedState(): State {
  const saved = savedState();
  const anchor = options.now === undefined ? Date.now() : momentOf('now', options.now);
  const scale = Number(options.scale);
  if (!(scale > 0 && scale <= 1000))
    program.error(`--scale must be a number from above 0 to 1000, not ${options.scale}`);
  const same = saved?.seed === options.seed && saved.scale === scale;
  if (same && options.now === undefined && Date.now() - saved.until < LONGEST_GAP) return saved;
  const minute = Math.floor(anchor / MINUTE) * MINUTE;
  return { seed: options.seed, anchor, scale, episodes: wantedEpisodes(minute), until: 0 };
}

/** With about so many lines and spans a first stretch of history is sent, so that there soon is something to look at. */
const FIRST_STRETCH = 64_000;
/** The later ones have so many spans; lines are sent on the way to that, so many at a time. */
const SPANS_IN_STRETCH = 2 * SPANS_AT_ONCE;
const LINES_AT_ONCE = 160_000;

/** The part of signals that is told from one moment on, and before another. */
function between(signals: Signals, from: number, to = Infinity): Signals {
  const within = ({ at }: { at: number }): boolean => at >= from && at < to;
  return {
    lines: signals.lines.filter(within),
    // A span is told once it has ended.
    spans: signals.spans.filter(({ at, took }) => at + took >= from && at + took < to),
    measurements: signals.measurements.filter(within),
    changes: signals.changes.filter(within),
    runs: signals.runs.filter(within),
  };
}

async function history(fleet: Fleet, state: State, sender: Sender, end: number): Promise<void> {
  const total = end - fleet.start;
  const sent = { lines: 0, spans: 0, points: 0 };
  const started = Date.now();
  let previous: Promise<unknown> = Promise.resolve();
  const tell = (to: number): void => {
    if (process.stdout.isTTY)
      process.stdout.write(
        `\rHistory: ${Math.round((100 * (to - fleet.start)) / total)}%, ${sent.lines.toLocaleString('en')} lines `,
      );
  };
  for (let start = state.until || fleet.start; start < end;) {
    const known = start;
    const name = new Date(start).toISOString();
    const send = async (part: string, signals: Signals): Promise<void> => {
      sent.lines += signals.lines.length;
      sent.spans += signals.spans.length;
      sent.points += signals.measurements.length;
      // What comes next is made while this is on its way.
      await previous;
      previous = sender.send(part, signals);
    };
    const held = noSignals();
    const isFirst = sent.lines === 0;
    let to = Math.floor(start / MINUTE) * MINUTE;
    for (; to < end; to += MINUTE) {
      const enough = isFirst
        ? held.lines.length + held.spans.length >= FIRST_STRETCH
        : held.spans.length >= SPANS_IN_STRETCH;
      if (enough) break;
      const minute = fleet.minute(to);
      addSignals(held, known > to ? between(minute, known) : minute);
      if (held.lines.length < LINES_AT_ONCE) continue;
      const { lines, measurements } = held;
      await send(`${name} to ${new Date(to).toISOString()}`, { ...noSignals(), lines, measurements });
      Object.assign(held, { lines: [], measurements: [] });
      tell(to);
    }
    await send(name, held);
    previous = previous.then(() => remember({ ...state, until: to }));
    start = to;
    tell(to);
  }
  await previous;
  if (!state.complete) {
    for (const measurements of fleet.weeksBefore()) {
      sent.points += measurements.length;
      await sender.send(`weeks before ${measurements[0]!.at}`, { ...noSignals(), measurements });
    }
    state.complete = true;
    remember({ ...state, until: end });
  }
  if (sent.lines > 0) {
    const seconds = ((Date.now() - started) / 1000).toFixed(0);
    const { lines, spans, points } = sent;
    console.log(
      `${process.stdout.isTTY ? '\r' : ''}History is complete: ${lines.toLocaleString('en')} lines, ${spans.toLocaleString('en')} spans and ${points.toLocaleString('en')} measurements in ${seconds} s.`,
    );
  }
}

function remember(state: State): void {
  writeFileSync(stateFile, JSON.stringify(state));
}

/** The page of the stand-ins, where its port is free. */
async function showStandIns(clock: LiveClock): Promise<void> {
  const port = Number(options.standIns);
  if (port === 0) return;
  try {
    await new StandIns(fleet, clock).listen(port);
    console.log(`The simulated systems around the fleet are at http://127.0.0.1:${port}`);
  } catch {
    console.log(`Port ${port} is taken; the simulated systems around the fleet have no page.`);
  }
}

const MEASURED_EVERY = 5 * SECOND;

/** Sends what each moment brings when it has come. */
async function live(
  fleet: Fleet,
  state: State,
  sender: Sender,
  { clock, from }: { clock: LiveClock; from: number },
): Promise<never> {
  let waiting = noSignals();
  let told = from;
  for (let minute = Math.floor(from / MINUTE) * MINUTE; ; minute += MINUTE) {
    addSignals(waiting, between(fleet.signalsOf(minute, MEASURED_EVERY), from));
    while (told < minute + MINUTE) {
      await new Promise((resolve) => setTimeout(resolve, SECOND));
      const now = Math.min(clock.now(), minute + MINUTE);
      if (now <= told) continue;
      told = now;
      await sender.send(`live ${now}`, between(waiting, -Infinity, now));
      waiting = between(waiting, now);
      remember({ ...state, until: now });
    }
  }
}

const speed = speedOf(options.speed);
if (options.speed !== undefined && speed === undefined)
  program.error(`--speed is one of ${SPEEDS.join(', ')}, not ${options.speed}`);
const state = wantedState();
const fleet = new Fleet({ ...state, variants: options.variant });
const disguise: Disguise =
  options.disguise === undefined ? (text) => text : drawDisguise(new Random(`disguise/${options.disguise}`));
const reached = options.now === undefined && options.live ? Date.now() : state.anchor;
const end = Math.max(fleet.start, state.until, Math.floor(reached / MINUTE) * MINUTE);

if (options.dry) {
  const digest = createHash('sha256');
  const counts = { lines: 0, spans: 0, measurements: 0, changes: 0, runs: 0 };
  for (let minute = fleet.start; minute < end; minute += MINUTE) {
    const signals = fleet.minute(minute);
    for (const { text } of signals.lines) digest.update(text).update('\n');
    const { lines, ...others } = signals;
    digest.update(JSON.stringify(others));
    counts.lines += lines.length;
    for (const name of ['spans', 'measurements', 'changes', 'runs'] as const)
      counts[name] += signals[name].length;
  }
  const told = Object.entries(counts).map(([name, count]) => `${count} ${name}`);
  console.log(`${told.join(', ')}, sha256 ${digest.digest('hex')}`);
} else {
  mkdirSync(options.data, { recursive: true });
  writeFileSync(join(options.data, 'truth.json'), disguise(JSON.stringify(fleet.truth(), null, 2)));
  const sender = new Sender(options.url, `${state.seed}/${state.anchor}/${state.scale}`, disguise);
  await history(fleet, state, sender, end);
  if (options.live) {
    const clock = new LiveClock(speed === undefined ? Date.now() : end, speed);
    await showStandIns(clock);
    await live(fleet, state, sender, { clock, from: end });
  }
}
