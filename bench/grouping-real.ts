import { groupLayouts } from '../packages/core/src/grouping/group-layouts.js';
import { Sets } from '../packages/core/src/grouping/sets.js';
import { accuracyOf } from './grouping/accuracy.js';
import { realSources, takeIn } from './grouping/real.js';

const [folder = '../shared/recordings/grouping', only = ''] = process.argv.slice(2);
const verbose = process.argv.includes('verbose');
const apart = process.argv.includes('apart');
const sources = realSources(folder).filter(({ name }) => only === '' || only === 'all' || only.split(',').includes(name));
const percent = (share: number): string => (share * 100).toFixed(1).padStart(5);

let sum = 0, lineSum = 0, rightSum = 0, lenSum = 0;
let P = 0, R = 0;
async function one(list: typeof sources) {
  const { store, taken } = await takeIn(list);
  const began = performance.now();
  const joins = groupLayouts(store.layouts, store.records);
  const ms = performance.now() - began;
  const sets = new Sets(store.layouts.length);
  for (const { a, b } of joins) sets.join(a, b);
  console.error(`${store.layouts.length} layouts, ${ms.toFixed(0)} ms`);
  list.forEach((source, s) => {
    const groupOf = new Map<number, string>();
    const recordOf = new Map<number, any>();
    for (const r of taken[s]!) for (let l = r.firstLine; l < r.firstLine + r.lines; l++) { groupOf.set(l, String(sets.of(r.layout))); recordOf.set(l, r); }
    const keys = [...source.labels.keys()];
    const labels = keys.map((k) => source.labels.get(k)!);
    const groups = keys.map((k) => groupOf.get(k) ?? `missing${k}`);
    const acc = accuracyOf(labels, groups);
    const other = accuracyOf(keys.map((k) => source.others.get(k) ?? source.labels.get(k)!), groups);
    const trueRecords = new Set(source.records.size ? source.records.keys() : keys.filter((k, i) => true));
    const timed = taken[s]!.filter((r) => r.timed).length / taken[s]!.length;
    const lev = taken[s]!.filter((r) => r.level > 0).length / taken[s]!.length;
    console.log(`${source.name.padEnd(18)} lines ${String(keys.length).padStart(5)} strict ${percent(acc.strict)} alt ${percent(other.strict)} pair ${percent(acc.pairwise)} groups ${acc.groups}/${acc.labels} records ${taken[s]!.length}/${source.records.size} timed ${percent(timed)} lvl ${percent(lev)}`);
    sum += acc.strict; lineSum += keys.length; rightSum += acc.strict * keys.length;
    if (verbose) {
      const bad = acc.wrong.map((w) => ({ ...w, kind: (w.groups.size > 1 ? 'S' : '') + (w.sharedWith.size ? 'M' : '') }));
      for (const w of bad.slice(0, 60)) {
        console.log(`  ${w.kind} ${w.label} ${w.lines} lines in ${w.groups.size} groups, with ${[...w.sharedWith].slice(0, 8).join(' ')}`);
        for (const [g, c] of [...w.groups].slice(0, 4)) {
          const i = groups.findIndex((x, i) => x === g && labels[i] === w.label);
          const r = recordOf.get(keys[i]!);
          const lay = store.layouts[r.layout]!;
          const t = lay.literals.map((l, i) => l + (lay.types[i] ? `<${lay.types[i]}>` : '')).join('');
          console.log(`      ${g} ${c}x ${JSON.stringify(t.slice(0, 170))}`);
        }
      }
    }
  });
}
if (apart) for (const s of sources) await one([s]); else await one(sources);
console.log(`mean strict ${percent(sum / sources.length)} by lines ${percent(rightSum / lineSum)}`);
