import type { Random } from '../world/random.js';
import { isOn, type Placements } from './placement.js';

/**
 * E2: since a new version of a library the step `encode` throws on names with combining marks. Only passengers
 * of two ports have such names, and not on every sailing.
 */
export const MARKED_PORTS: readonly string[] = ['brannay', 'osprey-rock'];
const MARKED_NAMES = 0.55;

export const libraryVersion = ({ E2 }: Placements, at: number): string => (isOn(E2, at) ? '4.2.0' : '4.1.3');

/** A name that the library can't fold, where one is among the passengers. */
export function foldingFails({ E2 }: Placements, at: number, port: string, random: Random): boolean {
  const marked = MARKED_PORTS.includes(port) && random.chance(MARKED_NAMES * (E2?.strength ?? 1));
  return isOn(E2, at) && marked;
}

export const FOLDING_ERROR = {
  type: 'lines.manifest.encode.FoldException',
  message: 'no single glyph for a base letter with a combining mark',
  frames: [
    'at lines.manifest.encode.Glyphs.fold(Glyphs.java:118)',
    'at lines.manifest.encode.NameEncoder.encode(NameEncoder.java:64)',
    'at lines.manifest.export.EncodeStep.run(EncodeStep.java:41)',
    'at lines.jobs.StepRunner.step(StepRunner.java:203)',
    'at java.base/java.util.concurrent.ThreadPoolExecutor.runWorker(ThreadPoolExecutor.java:1144)',
  ],
};
