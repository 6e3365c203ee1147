import { writeFileSync } from 'node:fs';
import { EVIDENCE } from '../packages/core/src/grouping/evidence.js';
import { type Accuracy, accuracyOf } from './grouping/accuracy.js';
import { fit } from './grouping/fit.js';
import { realSources } from './grouping/real.js';
import { drawn, groupsOf, instancesOf, type Prepared, prepared } from './grouping/training.js';

/**
 * How rightly lines of real programs are grouped, of which it is known what statement wrote them: folders with
 * `lines.txt` and `labels.csv` each, as `npm run lab -- lines` writes them. `folds` measures with weights that
 * were fitted without the source in question, beside those that are in use; `growth` tells how many lines change
 * their group as more becomes known; `fit` writes new weights; `verbose` lists what is wrong.
 */
const [folders = '', ...options] = process.argv.slice(2);
const FOLDS = 5;
const RIDGE = 8;
/** What language tells beforehand, where there are too few lines to tell it: `status X` is a status. */
const PRIOR = Float64Array.from(EVIDENCE, (name) => (name === 'behind state' ? 2.5 : 0));
const WEIGHTS_FILE = new URL('../packages/core/src/grouping/weights.ts', import.meta.url).pathname;

const all: Prepared[] = [];
for (const folder of folders.split(','))
  for (const source of realSources(folder)) all.push(await prepared(source));

const percent = (share: number): string => (share * 100).toFixed(1);
const labelsOf = ({ lines }: Prepared): string[] => lines.map(({ label }) => label);
const measured = (own: Prepared, weights?: Float64Array): Accuracy =>
  accuracyOf(labelsOf(own), groupsOf(own, weights));

/** Share of lines whose group is that under the label or under its other reading. */
function lenientOf(own: Prepared, groups: readonly string[]): number {
  const other = [...own.source!.labels].map(([line, label]) => own.source!.others.get(line) ?? label);
  const setsOf = (keys: readonly string[]): Map<string, string> => {
    const members = new Map<string, number[]>();
    keys.forEach((key, at) => members.set(key, [...(members.get(key) ?? []), at]));
    return new Map([...members].map(([key, at]) => [key, at.join()]));
  };
  const [first, second, found] = [setsOf(labelsOf(own)), setsOf(other), setsOf(groups)];
  const right = groups.filter((group, at) => {
    const members = found.get(group)!;
    return members === first.get(own.lines[at]!.label) || members === second.get(other[at]!);
  });
  return right.length / groups.length;
}

/** Share of records that begin and end where they should; undefined where that is not known. */
function bordersOf({ source, taken }: Prepared): number | undefined {
  if (!source?.opens || !taken) return undefined;
  const begins = new Set(taken.map(({ firstLine }) => firstLine));
  const truth = [...source.opens].sort((a, b) => a - b);
  const right = truth.filter((line, at) => {
    const end = truth[at + 1] ?? Infinity;
    return begins.has(line) && ![...begins].some((other) => other > line && other < end);
  });
  return right.length / truth.length;
}

/** Weights fitted without each source, by fold. */
function withoutEach(sources: readonly Prepared[]): Float64Array[] {
  const instances = sources.map(instancesOf);
  const own = [drawn('fit/0'), drawn('fit/1')].map(instancesOf);
  const byFold = Array.from({ length: FOLDS }, (_, fold) =>
    fit([...instances.filter((_, at) => at % FOLDS !== fold), ...own], PRIOR, RIDGE),
  );
  return sources.map((_, at) => byFold[at % FOLDS]!);
}

const unseen = options.includes('folds') ? withoutEach(all) : undefined;
console.log(
  `| source | lines | statements | strict | lenient | precision | recall | borders | time | level |${unseen ? ' not fitted on |' : ''}`,
);
console.log(`|---|---|---|---|---|---|---|---|---|---|${unseen ? '---|' : ''}`);
const sums = {
  strict: 0,
  lenient: 0,
  precision: 0,
  recall: 0,
  unseen: 0,
  lines: 0,
  right: 0,
  unseenRight: 0,
};
all.forEach((own, at) => {
  const groups = groupsOf(own);
  const { strict, precision, recall, labels, lines, wrong } = accuracyOf(labelsOf(own), groups);
  const lenient = lenientOf(own, groups);
  const borders = bordersOf(own);
  const records = own.taken!.length;
  const timed = own.taken!.filter((record) => record.timed).length / records;
  const level = own.taken!.filter((record) => record.level > 0).length / records;
  const held = unseen ? measured(own, unseen[at]).strict : undefined;
  sums.strict += strict;
  sums.lenient += lenient;
  sums.precision += precision;
  sums.recall += recall;
  sums.unseen += held ?? 0;
  sums.lines += lines;
  sums.right += strict * lines;
  sums.unseenRight += (held ?? 0) * lines;
  console.log(
    `| ${own.name} | ${lines} | ${labels} | ${[strict, lenient, precision, recall].map(percent).join(' | ')} | ${borders === undefined ? '' : percent(borders)} | ${percent(timed)} | ${percent(level)} |${held === undefined ? '' : ` ${percent(held)} |`}`,
  );
  if (!options.includes('verbose')) return;
  for (const { label, lines: size, groups: found, sharedWith } of wrong.slice(0, 30)) {
    console.log(
      `    ${found.size > 1 ? 'split' : ''} ${sharedWith.size > 0 ? 'joined' : ''} ${label}: ${size} lines in ${found.size} groups, with ${[...sharedWith].slice(0, 6).join(' ')}`,
    );
    for (const [group, count] of [...found].slice(0, 3)) {
      const line = own.lines.findIndex((one, index) => one.label === label && groups[index] === group);
      const { literals } = own.layouts[own.lines[line]!.layout]!;
      console.log(`        ${count} × ${JSON.stringify(literals.join('…').slice(0, 150))}`);
    }
  }
});
const mean = (sum: number): string => percent(sum / all.length);
console.log(
  `| mean of ${all.length} | ${sums.lines} | | ${[sums.strict, sums.lenient, sums.precision, sums.recall].map(mean).join(' | ')} | | | |${unseen ? ` ${mean(sums.unseen)} |` : ''}`,
);
console.log(
  `By lines: strict ${percent(sums.right / sums.lines)}${unseen ? `, not fitted on ${percent(sums.unseenRight / sums.lines)}` : ''}.`,
);

/** Share of the lines of a source's first seventh whose group among them is another once all of it is known. */
function movedIn({ layouts, lines, name }: Prepared): number {
  const first = lines.slice(0, Math.ceil(lines.length / 7));
  const known = first.reduce((most, { layout }) => Math.max(most, layout + 1), 0);
  const counted = (some: Prepared['lines'], size: number): number[] => {
    const records = new Array<number>(size).fill(0);
    for (const { layout } of some) if (layout >= 0) records[layout]!++;
    return records;
  };
  const early = groupsOf({
    name,
    layouts: layouts.slice(0, known),
    records: counted(first, known),
    lines: first,
  });
  const late = groupsOf({ name, layouts, records: counted(lines, layouts.length), lines: first });
  return 1 - accuracyOf(early, late).strict;
}

if (options.includes('growth')) {
  const moved = all.map((own) => movedIn(own)).sort((a, b) => a - b);
  const average = moved.reduce((sum, share) => sum + share, 0) / moved.length;
  console.log(
    `Lines of the first seventh that are in another group once all is known: ${percent(average)} on average, ${percent(moved[Math.floor(moved.length / 2)]!)} in the median, ${percent(moved.at(-1)!)} at most.`,
  );
}

if (options.includes('fit')) {
  const weights = fit([...all, drawn('fit/0'), drawn('fit/1')].map(instancesOf), PRIOR, RIDGE);
  const lines = EVIDENCE.map(
    (name, at) => `  ${/^[a-z]+$/.test(name) ? name : `'${name}'`}: ${weights[at]!.toFixed(2)},\n`,
  );
  writeFileSync(
    WEIGHTS_FILE,
    `import { EVIDENCE, type EvidenceName } from './evidence.js';

/**
 * What each piece of evidence adds to the log odds. Written by \`npm run bench -- grouping-real FOLDERS fit\`, from
 * lines of programs of which it is known what statement wrote them.
 */
const BY_NAME: Record<EvidenceName, number> = {
${lines.join('')}};

export const WEIGHTS = Float64Array.from(EVIDENCE, (name) => BY_NAME[name]);
`,
  );
}
