import { spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Draw } from './draw.js';
import { labelled, readNotes } from './label.js';
import { type Program, Workbench } from './program.js';

const TRACE = new URL('../trace/', import.meta.url).pathname;
/** Of one program no more lines are kept. */
const MAX_LINES = 2500;

/** Builds what notes the statements of C programs. */
function library(): string {
  const target = join(tmpdir(), `flail-lab-formats-${process.pid}.so`);
  const built = spawnSync('gcc', [
    '-O1',
    '-shared',
    '-fPIC',
    '-w',
    '-fno-builtin',
    '-o',
    target,
    join(TRACE, 'formats.c'),
    '-ldl',
  ]);
  if (built.status !== 0) throw new Error('gcc is needed to build the tracing library.');
  return target;
}

/** Runs programs and writes what they logged, with the statement of each line, as a folder each: `lines.txt`, `labels.csv`, `records.csv`, `templates.csv`. */
export async function recordLines(programs: readonly Program[], seed: string, out: string): Promise<void> {
  const trace = { library: library(), python: TRACE };
  for (const program of programs) {
    if (!existsSync(program.needs)) {
      console.log(`${program.name}: not here; apt-get install ${program.packages.join(' ')}`);
      continue;
    }
    const folder = mkdtempSync(join(tmpdir(), 'flail-lab-'));
    const bench = new Workbench(join(folder, program.name), new Draw(`${seed}/${program.name}`), trace);
    try {
      await program.run(bench);
      await bench.end();
      const { log, notes } = bench.result();
      const lines = log.split('\n');
      const found = labelled(lines, readNotes(notes)).slice(0, MAX_LINES);
      write(join(out, program.name), found);
      const statements = new Set(found.map(({ statement }) => statement)).size;
      console.log(`${program.name}: ${found.length} lines of ${lines.length}, ${statements} statements`);
    } catch (error) {
      console.log(`${program.name}: ${error instanceof Error ? error.message : String(error)}`);
      await bench.end();
    } finally {
      rmSync(folder, { recursive: true, force: true });
    }
  }
  rmSync(trace.library, { force: true });
}

const quoted = (text: string): string => `"${text.replaceAll('"', '""').replaceAll('\n', '\\n')}"`;

function write(folder: string, found: ReturnType<typeof labelled>): void {
  mkdirSync(folder, { recursive: true });
  const ids = new Map<string, string>();
  const idOf = (statement: string): string => {
    let id = ids.get(statement);
    if (id === undefined) ids.set(statement, (id = `T${String(ids.size + 1).padStart(3, '0')}`));
    return id;
  };
  const labels = found.map(({ statement }, at) => `${at + 1},${idOf(statement)}`);
  const records: string[] = [];
  found.forEach(({ opens, statement }, at) => {
    if (!opens) return;
    let last = at;
    while (found[last + 1]?.opens === false) last++;
    records.push(`${at + 1},${last + 1},${idOf(statement)}`);
  });
  writeFileSync(join(folder, 'lines.txt'), found.map(({ line }) => `${line}\n`).join(''));
  writeFileSync(join(folder, 'labels.csv'), `line,template\n${labels.join('\n')}\n`);
  writeFileSync(join(folder, 'records.csv'), `first_line,last_line,template\n${records.join('\n')}\n`);
  const templates = [...ids].map(([statement, id]) => `${id},${quoted(statement)}`);
  writeFileSync(join(folder, 'templates.csv'), `template,statement\n${templates.join('\n')}\n`);
}
