import { groupLayouts } from '../packages/core/src/grouping/group-layouts.js';
import { Sets } from '../packages/core/src/grouping/sets.js';
import { LayoutBook } from '../packages/core/src/patterns/layout.js';
import { accuracyOf } from './grouping/accuracy.js';
import { machineLines } from './grouping/machine.js';
import { KINDS_OF_TEXT, type LabelledText, TextDraw } from './grouping/texts.js';

/**
 * Grouping accuracy at the default grain: generated text of templates drawn anew, and lines of programs
 * found on this machine. Every wrong label is listed for the first draw.
 */
const DRAWS = Number(process.argv[2] ?? 5);
const TEMPLATES = Number(process.argv[3] ?? 340);
const LINES = Number(process.argv[4] ?? 60_000);
const seed = process.argv[5] ?? String(Date.now());
const verbose = process.argv.includes('verbose');

function group(lines: readonly LabelledText[]): string[] {
  const book = new LayoutBook();
  const of = lines.map(({ text }) => book.partsOf(text).layout.id);
  const counts: number[] = book.layouts.map(() => 0);
  for (const id of of) counts[id]!++;
  const began = performance.now();
  const sets = new Sets(book.layouts.length);
  for (const { a, b } of groupLayouts(book.layouts, counts)) sets.join(a, b);
  if (verbose)
    console.log(`  ${book.layouts.length} layouts grouped in ${(performance.now() - began).toFixed(0)} ms`);
  return of.map((id) => String(sets.of(id)));
}

function report(
  name: string,
  lines: readonly LabelledText[],
  groups: readonly string[],
  kindOf?: (label: string) => string,
): number {
  const all = accuracyOf(
    lines.map(({ label }) => label),
    groups,
  );
  const percent = (share: number): string => `${(share * 100).toFixed(1)}%`;
  console.log(
    `${name}: strict ${percent(all.strict)}, pairs ${percent(all.pairwise)}, ${all.groups} groups for ${all.labels} labels, ${all.lines} lines`,
  );
  const sources = [...new Set(lines.map(({ source }) => source))].map((source) => {
    const at = lines.flatMap((line, index) => (line.source === source ? [index] : []));
    return {
      source,
      strict: accuracyOf(
        at.map((index) => lines[index]!.label),
        at.map((index) => groups[index]!),
      ).strict,
    };
  });
  console.log(
    `  by source: ${sources.map(({ source, strict }) => `${source} ${percent(strict)}`).join(', ')}`,
  );
  if (kindOf) {
    const kinds = KINDS_OF_TEXT.map((kind) => {
      const own = new Set(lines.filter(({ label }) => kindOf(label) === kind).map(({ label }) => label));
      const missed = all.wrong.filter(({ label }) => own.has(label)).length;
      return `${kind} ${own.size - missed}/${own.size}`;
    });
    console.log(`  templates right, by kind: ${kinds.join(', ')}`);
  }
  if (verbose) {
    for (const { label, lines: size, groups: found, sharedWith } of all.wrong.slice(0, 40)) {
      const samples = [...found].slice(0, 3).map(([id, count]) => {
        const at = lines.findIndex((line, index) => line.label === label && groups[index] === id);
        return `      ${count}× ${JSON.stringify(lines[at]!.text.slice(0, 150))}`;
      });
      console.log(
        `   ${label}${kindOf ? ` (${kindOf(label)})` : ''} ${size} lines in ${found.size} groups, with ${[...sharedWith].slice(0, 4).join(' ')}\n${samples.join('\n')}`,
      );
    }
  }
  return Math.min(all.strict, ...sources.map(({ strict }) => strict));
}

console.log(`seed ${seed}`);
for (let draw = 0; draw < DRAWS; draw++) {
  const made = new TextDraw(`${seed}/${draw}`, TEMPLATES, 8);
  const lines = made.lines(LINES);
  report(`draw ${draw}`, lines, group(lines), (label) => made.kindOf(label));
}
const { lines, unlabelled } = machineLines();
if (lines.length > 0) {
  report('programs of this machine', lines, group(lines));
  console.log(`  ${unlabelled} lines fit no expression and are left out`);
}
