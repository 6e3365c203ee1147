import {
  addAllCounts,
  addAllHistory,
  type CountKey,
  countHistory,
  countLayouts,
  type LayoutCounts,
  type LayoutHistory,
  layoutsToLookBack,
  patternTable,
  stretchOf,
} from '@flail/core';
import { Fleet } from '../apps/fleet/src/fleet.js';
import { HOUR, MINUTE } from '../apps/fleet/src/world/clock.js';
import { SERVICES } from '../apps/fleet/src/world/company.js';
import { MemoryStore } from '../packages/core/src/testing/memory-store.js';

/**
 * Where the rare line of the lease episode stands by surprise, over fleets of different seeds and windows
 * whose edges are drawn up to three minutes early or late. Failures are listed.
 */
const DRAWS = Number(process.argv[2] ?? 10);
const HISTORY_HOURS = Number(process.argv[3] ?? 48);
const seed = process.argv[4] ?? String(Date.now());

async function draw(index: number): Promise<{ rank: number; patterns: number; firstSeen: number }> {
  const anchor = Date.UTC(2026, 2, 5, (index * 7) % 24);
  const fleet = new Fleet({ seed: `${seed}/${index}`, anchor });
  const store = new MemoryStore();
  const start = anchor - HISTORY_HOURS * HOUR;
  for (let from = start; from < anchor; from += 2 * HOUR) {
    const texts = new Map(SERVICES.map(({ name }): [string, string[]] => [name, []]));
    for (let minute = from; minute < from + 2 * HOUR; minute += MINUTE) {
      for (const line of fleet.minute(minute).lines) texts.get(line.from.service)!.push(line.text);
    }
    for (const [service, lines] of texts)
      if (lines.length > 0) store.take(lines.join('\n'), { source: service });
    store.seal();
  }
  const late = (((index * 37) % 13) - 6) * 0.5 * MINUTE;
  const micros = (at: number): number => at * 1000;
  const from = anchor - 40 * MINUTE + late;
  const focus = { from: micros(from), to: micros(anchor) };
  const baseline = { from: micros(from - (anchor - from)), to: micros(from) };
  const stretch = stretchOf(focus, micros(start));
  const counts = new Map<CountKey, LayoutCounts>();
  const histories = new Map<CountKey, LayoutHistory>();
  const views = store.views();
  for (const view of views) addAllCounts(counts, await countLayouts(view, true, focus, baseline));
  const { patterns } = store.grouping();
  const wanted = new Set(layoutsToLookBack(counts, patterns));
  for (const view of views) addAllHistory(histories, await countHistory(view, true, focus, stretch, wanted));
  const spans = {
    focus: focus.to - focus.from,
    baseline: baseline.to - baseline.from,
    earlier: focus.from - micros(start),
    stretch,
    touching: true,
  };
  const rows = patternTable(counts, histories, patterns, spans, 'surprise');
  const rank = rows.findIndex(({ id }) =>
    patterns
      .all()
      .get(id)!
      .layouts.some(({ literals }) => literals.join('').includes('rejected, lease lost')),
  );
  return {
    rank: rank + 1,
    patterns: rows.length,
    firstSeen: rows.filter(({ change }) => change === 'first seen').length,
  };
}

console.log(`${DRAWS} draws, seed ${seed}, ${HISTORY_HOURS} h of history`);
let inFirstThree = 0;
for (let index = 0; index < DRAWS; index++) {
  const { rank, patterns, firstSeen } = await draw(index);
  if (rank >= 1 && rank <= 3) inFirstThree++;
  console.log(
    `  draw ${index}: row ${rank} of ${patterns}, ${firstSeen} first seen${rank >= 1 && rank <= 3 ? '' : '  ← missed'}`,
  );
}
console.log(`in the first three: ${inFirstThree} of ${DRAWS}`);
