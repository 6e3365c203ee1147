import { DAY, HOUR, MINUTE } from '../world/clock.js';

export const EPISODES = ['E1', 'E2', 'E3', 'E4', 'E5', 'E6', 'E7', 'E8'] as const;
export type EpisodeId = (typeof EPISODES)[number];

/** Where an episode lies, and how strong it is: 1 as told in the scenario. */
export interface Placement {
  /** Milliseconds since 1970. */
  start: number;
  end: number;
  strength: number;
}

export type Placements = Partial<Record<EpisodeId, Placement>>;

/** How long before the anchor each begins, and how long it lasts. */
const USUAL: Record<EpisodeId, [before: number, length: number]> = {
  E1: [40 * MINUTE, 2 * HOUR],
  E2: [3 * DAY, 30 * DAY],
  E3: [18 * HOUR, 30 * DAY],
  E4: [10 * HOUR, HOUR],
  E5: [40 * DAY, 400 * DAY],
  E6: [55 * MINUTE, 30 * DAY],
  E7: [16 * HOUR, 90 * MINUTE],
  E8: [27 * HOUR, 2 * HOUR],
};

/** The episodes as the demo has them. */
export function usualPlacements(anchor: number): Placements {
  return Object.fromEntries(EPISODES.map((id) => [id, placed(id, anchor - USUAL[id][0])]));
}

/** An episode that begins at a moment and lasts as long as it usually does. */
export const placed = (id: EpisodeId, start: number, strength = 1): Placement => ({
  start,
  end: start + USUAL[id][1],
  strength,
});

export const isOn = (placement: Placement | undefined, at: number): placement is Placement =>
  placement !== undefined && at >= placement.start && at < placement.end;
