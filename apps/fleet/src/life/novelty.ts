import { type Instance, INSTANCES } from '../world/company.js';
import { type Level, type Line, say } from '../world/line.js';
import type { Random } from '../world/random.js';
import { MINUTE } from '../world/clock.js';

/** Words from which harmless one-off lines are put together; no two lines need be alike. */
const THINGS = [
  'brochure',
  'kiosk',
  'luggage tag',
  'waiting list',
  'bicycle rack',
  'pet voucher',
  'freight slip',
  'group ticket',
  'deck plan',
  'snack order',
  'audio guide',
  'child seat',
  'parking token',
  'season card',
  'gift card',
  'harbour map',
  'crew roster',
  'pilot note',
  'cabin key',
  'loyalty stamp',
  'refund slip',
  'coach transfer',
  'wheelchair ramp',
  'mooring plan',
  'signal lamp',
  'ticket printer',
  'queue display',
  'turnstile',
  'weather banner',
  'photo booth',
];
const ACTIONS = [
  'refreshing',
  'rendering',
  'archiving',
  'translating',
  'validating',
  'importing',
  'trimming',
  'counting',
  'sorting',
  'merging',
  'indexing',
  'renaming',
  'rotating',
  'sharing',
  'printing',
  'scaling',
  'decoding',
  'mapping',
  'pruning',
  'copying',
];
const ODDITIES = [
  'unexpected whitespace',
  'a trailing comma',
  'an empty page',
  'a stale thumbnail',
  'an old colour profile',
  'a doubled slash',
  'an unknown locale',
  'a missing icon',
  'a very long name',
  'mixed line ends',
  'an unusual encoding',
  'a leap day',
  'an odd aspect ratio',
  'a duplicate header',
  'a future birthday',
  'a silent retry',
  'an expired preview',
  'an unused flag',
  'a rounded total',
  'a blank signature',
];
const OUTCOMES = [
  'ignored',
  'using the default',
  'kept as is',
  'fallback used',
  'will not repeat',
  'skipped once',
  'cleaned up',
  'no action needed',
  'handled',
  'left for later',
];
const FAULTS = [
  'Thumbnail',
  'Locale',
  'Footer',
  'Palette',
  'Caption',
  'Badge',
  'Tooltip',
  'Margin',
  'Glyph',
  'Avatar',
  'Ribbon',
  'Envelope',
  'Preview',
  'Bookmark',
  'Sticker',
];
const CLASSES = [
  'Renderer',
  'Cache',
  'Loader',
  'Parser',
  'Formatter',
  'Planner',
  'Sweeper',
  'Counter',
  'Mapper',
  'Linker',
];
const WRITERS = [
  'boarding-api',
  'sailing-planner',
  'fare-quoter',
  'residency-registry',
  'manifest-writer',
  'berth-allocator',
  'tide-feed',
];

/** New harmless kinds of line that turn up in each minute, on average. */
const PER_MINUTE = 1.5;

/**
 * Harmless novelty: lines of kinds never seen before that mean nothing. Most come once, some a few times in
 * a row; some are warnings or errors that were handled, a few with a stack trace.
 */
export function noveltyOf(minute: number, random: Random): Line[] {
  const lines: Line[] = [];
  for (let left = random.poisson(PER_MINUTE); left > 0; left--) {
    const from = random.pick(INSTANCES.get(random.pick(WRITERS))!);
    const at = minute + random.between(0, MINUTE);
    const repeats = random.chance(0.7) ? 1 : 1 + random.whole(3);
    const make = kindOf(from, random);
    const end = minute + MINUTE;
    for (let copy = 0; copy < repeats; copy++) lines.push(make(copy === 0 ? at : random.between(at, end)));
  }
  return lines;
}

function kindOf(from: Instance, random: Random): (at: number) => Line {
  const level: Level = random.chance(0.07) ? 'ERROR' : random.chance(0.45) ? 'WARN' : 'INFO';
  const sentence = `${random.pick(ODDITIES)} while ${random.pick(ACTIONS)} ${random.pick(THINGS)} for ${random.pick(THINGS)}, ${random.pick(OUTCOMES)}`;
  if (from.service !== 'manifest-writer' || !random.chance(0.5))
    return (at) => say(from, at, level, sentence);
  const fault = `${random.pick(FAULTS)}${random.pick(FAULTS)}Exception`;
  const trace = [1, 2, 3].map(
    () =>
      `\tat lines.manifest.${random.pick(FAULTS)}${random.pick(CLASSES)}.run(${random.pick(CLASSES)}.java:${20 + random.whole(300)})`,
  );
  return (at) => say(from, at, 'ERROR', [`handled ${fault}: ${sentence}`, ...trace].join('\n'));
}
