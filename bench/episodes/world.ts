import { spawn, type ChildProcess } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { EpisodeId, Placements } from '../../apps/fleet/src/episodes/placement.js';
import { placed } from '../../apps/fleet/src/episodes/placement.js';
import type { Variant } from '../../apps/fleet/src/episodes/variants.js';
import { Fleet } from '../../apps/fleet/src/fleet.js';
import { toSend } from '../../apps/fleet/src/run/stretches.js';
import { Sender } from '../../apps/fleet/src/sending/sender.js';
import { DAY, HOUR, MINUTE } from '../../apps/fleet/src/world/clock.js';
import { type Disguise, drawDisguise } from '../../apps/fleet/src/world/disguise.js';
import { Random } from '../../apps/fleet/src/world/random.js';
import { addSignals, noSignals } from '../../apps/fleet/src/world/signals.js';

/** Days of history that are sent where nothing else is wanted: enough to know what is normal by the time of day. */
const HISTORY_DAYS = 3;
const STRETCH = 64_000;

/** A fleet whose names are drawn, its history in a server of its own. */
export interface World {
  anchor: number;
  episodes: Placements;
  variants: readonly Variant[];
  disguise: Disguise;
  post: <T>(path: string, body: object) => Promise<T>;
  get: <T>(path: string) => Promise<T>;
  end: () => Promise<void>;
}

interface Wanted {
  seed: string;
  anchor: number;
  episodes: Placements;
  scale: number;
  variants?: readonly Variant[];
  days?: number;
}

/** Hours before the anchor at which something can begin; at night there is little that can go wrong. */
const SLOTS = [23, 18, 13, 8, 3.2];
/** From the beginning of a slot to the end of what begins in it, at the latest. */
const LONGEST = 3.5 * HOUR;

/**
 * Places the episodes named in slots of the last day, in an order and at moments that are drawn. Those that are
 * `together` begin within twenty minutes of each other. Passes are scanned, and refused, when ships leave: E4 lies
 * in the morning, as the scenario has it.
 */
export function drawPlacements(
  ids: readonly EpisodeId[],
  anchor: number,
  random: Random,
  { strength, together = false }: { strength: number; together?: boolean },
): Placements {
  const morning = anchor - 11.5 * HOUR + random.whole(120) * MINUTE;
  // Two at once are drawn for themselves: nothing else lies in that morning.
  const slots = SLOTS.map((hours) => anchor - hours * HOUR).filter(
    (slot) => !ids.includes('E4') || slot + LONGEST < morning || slot > morning + HOUR,
  );
  const common = ids.includes('E4')
    ? morning
    : slots[random.whole(slots.length)]! + random.whole(90) * MINUTE;
  const placements: Placements = {};
  for (const id of ids) {
    if (id === 'E2') placements.E2 = placed('E2', anchor - 2 * DAY, strength);
    else if (id === 'E3') placements.E3 = placed('E3', anchor - (4 + random.whole(14)) * HOUR, strength);
    else if (id === 'E5') placements.E5 = placed('E5', anchor - 40 * DAY, strength);
    else if (id === 'E6') placements.E6 = placed('E6', anchor - (30 + random.whole(40)) * MINUTE, strength);
    else if (together) placements[id] = placed(id, common + random.whole(20) * MINUTE, strength);
    else if (id === 'E4') placements.E4 = placed('E4', morning, strength);
    else {
      const [slot] = slots.splice(random.whole(slots.length), 1);
      placements[id] = placed(id, slot! + random.whole(90) * MINUTE, strength);
    }
  }
  return placements;
}

/** Starts a server on an empty store and sends it the history of a fleet, in the order in which the demo does. */
export async function startWorld({
  seed,
  anchor,
  episodes,
  scale,
  variants = [],
  days = HISTORY_DAYS,
}: Wanted): Promise<World> {
  const data = mkdtempSync(join(tmpdir(), 'flail-episodes-'));
  const { server, url } = await startServer(data);
  const disguise = drawDisguise(new Random(`disguise/${seed}`));
  const sender = new Sender(url, seed, disguise);
  for (const { from, to } of toSend({ from: anchor - days * DAY, to: anchor }, anchor, [])) {
    const fleet = new Fleet({ seed, anchor, episodes, scale, variants });
    for (let at = from; at < to;) {
      const signals = noSignals();
      const name = String(at);
      for (; at < to && signals.lines.length + signals.spans.length < STRETCH; at += MINUTE)
        addSignals(signals, fleet.minute(at));
      await sender.send(name, signals);
    }
  }
  const call = async <T>(path: string, init?: RequestInit): Promise<T> => {
    const response = await fetch(`${url}/api/v1/${path}`, init);
    if (!response.ok) throw new Error(`${path}: ${response.status} ${await response.text()}`);
    return (await response.json()) as T;
  };
  return {
    anchor,
    episodes,
    variants,
    disguise,
    post: (path, body) =>
      call(path, {
        method: 'POST',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify(body),
      }),
    get: (path) => call(path),
    end: async () => {
      const gone = new Promise((resolve) => server.once('exit', resolve));
      server.kill('SIGTERM');
      await gone;
      rmSync(data, { recursive: true, force: true });
    },
  };
}

export async function startServer(data: string): Promise<{ server: ChildProcess; url: string }> {
  const server = spawn(process.execPath, ['apps/server/dist/main.js'], {
    env: {
      ...process.env,
      FLAIL_DATA: data,
      FLAIL_PORT: '0',
      FLAIL_OTLP_PORT: '0',
      FLAIL_SYSLOG_PORT: '0',
    },
    stdio: ['ignore', 'pipe', 'inherit'],
  });
  const url = await new Promise<string>((resolve, reject) => {
    let told = '';
    server.stdout.on('data', (part: Buffer) => {
      told += part.toString();
      const [found] = /http:\/\/127\.0\.0\.1:\d+/.exec(told) ?? [];
      if (found) resolve(found);
    });
    server.once('exit', (code) => reject(new Error(`The server ended with ${code}: ${told}`)));
  });
  return { server, url };
}

const iso = (at: number): string => new Date(at).toISOString();

/** A focus, and as long before it as the baseline. */
export const windowsOf = (from: number, to: number) => ({
  window: { from: iso(from), to: iso(to) },
  baseline: { from: iso(from - (to - from)), to: iso(from) },
  scope: '',
});

/** Quiet days that are looked at, two hours at a time, after as many others as tell what is normal. */
export const QUIET_DAYS = 10;
export const DAYS_BEFORE = 8;

export function* quietWindows({ anchor }: World): Generator<ReturnType<typeof windowsOf>> {
  for (let from = anchor - QUIET_DAYS * DAY; from < anchor; from += 2 * HOUR)
    yield windowsOf(from, from + 2 * HOUR);
}
