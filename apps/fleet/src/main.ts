import { Command, Option } from 'commander';
import { createHash } from 'node:crypto';
import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { EPISODES, type EpisodeId, placed, type Placements, usualPlacements } from './episodes/placement.js';
import { type Variant, VARIANTS } from './episodes/variants.js';
import { Fleet } from './fleet.js';
import { History } from './run/history.js';
import { live } from './run/live.js';
import { type State, StateFile } from './run/state.js';
import { Sender } from './sending/sender.js';
import { StandIns } from './stand-ins/stand-ins.js';
import { HOUR, MINUTE } from './world/clock.js';
import { drawDisguise } from './world/disguise.js';
import { Random } from './world/random.js';
import { LiveClock, SPEEDS, speedOf } from './world/live-clock.js';

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

/** A gap of up to this long is filled at the next start. */
const LONGEST_GAP = HOUR;

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
const file = new StateFile(options.data);

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
  const saved = file.read();
  const anchor = options.now === undefined ? Date.now() : momentOf('now', options.now);
  const scale = Number(options.scale);
  if (!(scale > 0 && scale <= 1000))
    program.error(`--scale must be a number from above 0 to 1000, not ${options.scale}`);
  const same = saved?.seed === options.seed && saved.scale === scale;
  if (same && options.now === undefined && Date.now() - saved.until < LONGEST_GAP) return saved;
  const minute = Math.floor(anchor / MINUTE) * MINUTE;
  return { seed: options.seed, anchor, scale, episodes: wantedEpisodes(minute), sent: [], until: 0 };
}

/** The page of the stand-ins, where its port is free. */
async function showStandIns(fleet: Fleet, clock: LiveClock): Promise<void> {
  const port = Number(options.standIns);
  if (port === 0) return;
  try {
    await new StandIns(fleet, clock).listen(port);
    console.log(`The simulated systems around the fleet are at http://127.0.0.1:${port}`);
  } catch {
    console.log(`Port ${port} is taken; the simulated systems around the fleet have no page.`);
  }
}

const speed = speedOf(options.speed);
if (options.speed !== undefined && speed === undefined)
  program.error(`--speed is one of ${SPEEDS.join(', ')}, not ${options.speed}`);
const state = wantedState();
const newFleet = (): Fleet => new Fleet({ ...state, variants: options.variant });
const fleet = newFleet();
const disguise =
  options.disguise === undefined ? undefined : drawDisguise(new Random(`disguise/${options.disguise}`));
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
  const truth = JSON.stringify(fleet.truth(), null, 2);
  writeFileSync(join(options.data, 'truth.json'), disguise ? disguise(truth) : truth);
  const sender = new Sender(options.url, `${state.seed}/${state.anchor}/${state.scale}`, disguise);
  const history = new History(newFleet, sender, file, state);
  const sent = await history.send({ from: fleet.start, to: end });
  if (options.live) {
    const clock = new LiveClock(speed === undefined ? Date.now() : end, speed);
    await showStandIns(fleet, clock);
    await live(fleet, clock, sender, { file, state: { ...sent, until: end } });
  }
}
