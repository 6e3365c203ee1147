import { isoTime } from '../world/clock.js';
import { decoyRollout } from '../life/changes.js';
import { missedBeat } from '../life/routine.js';
import { BERTHS, STATION } from './double-offset.js';
import { FOLDING_ERROR, MARKED_PORTS } from './combining-marks.js';
import { fastInstance } from './fast-clock.js';
import { SLOW_CLASS } from './hull-tiles.js';
import { LOCK_FILE } from './lock-file.js';
import { EPISODES, type EpisodeId, type Placements } from './placement.js';

/** What is true of an episode, wherever it lies. */
interface Told {
  title: string;
  cause: object;
  firstSignal: string;
  affected: object;
  signature: object;
  foundBy: string[];
}

const TOLD: Record<EpisodeId, () => Told> = {
  E1: () => ({
    title: 'Lease time of berths cut from 30 s to 3 s',
    cause: { change: 'configuration', service: 'berth-allocator', key: 'lease_time', from: '30s', to: '3s' },
    firstSignal: 'store.operations of lock-store',
    affected: {
      service: 'gate-edge',
      routes: ['POST /v1/boardings', 'GET /v1/sailings/*/plan'],
      status: 503,
    },
    signature: { service: 'berth-allocator', text: 'fencing token * rejected, lease lost' },
    foundBy: ['patterns', 'onsets', 'contrast', 'changes'],
  }),
  E2: () => ({
    title: 'The new library throws on names with combining marks',
    cause: { change: 'deployment', service: 'manifest-writer', key: 'library_version', to: '4.2.0' },
    firstSignal: 'failed runs of manifest-export',
    affected: { job: 'manifest-export', ports: MARKED_PORTS, step: 'encode' },
    signature: { ports: MARKED_PORTS, library_version: '4.2.0', frame: FOLDING_ERROR.frames[0] },
    foundBy: ['runs', 'contrast'],
  }),
  E3: () => ({
    title: 'Hull plans of one class of vessel are read tile by tile',
    cause: { change: 'deployment', service: 'sailing-planner', to: '2.9.4' },
    firstSignal: 'duration of sailing-planner',
    affected: { service: 'sailing-planner', vessel_class: SLOW_CLASS },
    signature: { vessel_class: SLOW_CLASS, calls: 'select body from hull_tiles …, about 200' },
    foundBy: ['requests', 'contrast'],
  }),
  E4: () => ({
    title: 'The clock of one instance runs 41 s fast',
    cause: { change: 'time sync', instance: fastInstance().name, host: fastInstance().host },
    firstSignal: 'system.clock.offset, its maximum',
    affected: { service: 'boarding-api', instance: fastInstance().name, status: 422 },
    signature: { instance: fastInstance().name, text: 'pass * refused: not valid yet' },
    foundBy: ['health', 'metrics', 'contrast'],
  }),
  E5: () => ({
    title: 'The hourly settlement locks the table of fares',
    cause: { job: 'pass-settlement', lock: 'table' },
    firstSignal: 'duration of fare-quoter',
    affected: { service: 'fare-quoter', route: 'POST /v1/quotes' },
    signature: { overlaps: 'a run of pass-settlement', gap: 'before the first span of fare-quoter' },
    foundBy: ['requests', 'contrast'],
  }),
  E6: () => ({
    title: 'A run of tide-import hangs in starting',
    cause: { lockFile: LOCK_FILE, leftBy: 'a run that was stopped' },
    firstSignal: 'the run itself',
    affected: { job: 'tide-import', state: 'starting' },
    signature: { text: `lock file ${LOCK_FILE} is held by run *, waiting for it` },
    foundBy: ['runs'],
  }),
  E7: () => ({
    title: 'The mail gateway puts notices off, and they are tried again without a pause',
    cause: { outside: 'mail gateway', answer: '451 try later' },
    firstSignal: 'mail gateway answers 451 try later, notice * tried again',
    affected: { service: 'notice-sender' },
    signature: { service: 'notice-sender', text: 'mail gateway answers 451 try later, notice * tried again' },
    foundBy: ['onsets', 'patterns'],
  }),
  E8: () => ({
    title: 'The offset of a station was applied twice',
    cause: { service: 'tide-feed', station: STATION, text: 'calibration applied, offset *, datum chart' },
    firstSignal: 'the line of the calibration',
    affected: { service: 'sailing-planner', berths: BERTHS, status: 409 },
    signature: { berths: BERTHS, text: 'sailing * refused: berth * too shallow, *' },
    foundBy: ['contrast', 'patterns'],
  }),
};

export function truthOf(anchor: number, start: number, placements: Placements): object {
  const decoy = decoyRollout(anchor);
  return {
    anchor: isoTime(anchor),
    start: isoTime(start),
    episodes: EPISODES.flatMap((id) => {
      const placement = placements[id];
      if (!placement) return [];
      return [
        {
          id,
          start: isoTime(placement.start),
          end: isoTime(placement.end),
          strength: placement.strength,
          ...TOLD[id](),
        },
      ];
    }),
    decoys: [{ kind: 'rollout', service: decoy.service, at: isoTime(decoy.at) }],
    regular: [
      {
        service: 'tide-feed',
        text: 'gauge poll complete',
        every: '60s',
        missed: isoTime(missedBeat(anchor)),
      },
    ],
    noise: [{ service: 'residency-registry', text: 'cache miss for residency key *' }],
  };
}
