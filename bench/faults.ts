import { writeFileSync } from 'node:fs';
import { cpus, totalmem } from 'node:os';
import type { Attack } from './faults/attack.js';
import { disk } from './faults/disk.js';
import { hostile } from './faults/hostile.js';
import { kills } from './faults/kills.js';
import { masses } from './faults/masses.js';
import { soak } from './faults/soak.js';
import { traffic } from './faults/traffic.js';

/**
 * Attacks the built server in all the ways that are known, each on a store of its own, on this machine alone, and
 * writes down what was promised and what happened. `npm run bench -- faults [MINUTES] [KILLS] [ONLY]`: how long the
 * soak takes, how often the server is killed, and which attacks are run, by a part of their name.
 */
const [minutes = '30', moments = '100', only = ''] = process.argv.slice(2);
const ATTACKS: [part: string, attacks: Attack[]][] = [
  ['Ended at any moment', kills(Number(moments))],
  ['Disk and database', disk],
  ['Traffic', traffic],
  ['Hostile input', hostile],
  ['Very many different names', masses],
  ['Soak', Number(minutes) > 0 ? [soak(Number(minutes))] : []],
];

/** What is known and not mended. */
const WEAK = `## What is still weak

- A thread that is stuck while it takes in lines takes all batches under way with it: they are told to come again, and the batch that it was stuck in is told not to.
- Of very many different senders (resources over OTLP) some thousand a second are taken in: each is a row and a context of its own.
- Datagrams of syslog that the system has no room for are lost; they are counted and told, a sender over TCP loses none.
- A copy of a followed file that is written for longer than five seconds without a byte being added counts as a file of its own.
- Text that lies in a hole of a write-ahead log is gone with it: what was acknowledged survives the end of the process, not that of the file.
`;

const machine = `${cpus().length} processors (${cpus()[0]?.model ?? 'unknown'}), ${Math.round(totalmem() / 1024 ** 3)} GB, Node ${process.version}, ${new Date().toISOString().slice(0, 10)}`;
const lines: string[] = [];
let broke = 0;

/** Writes what is known so far: of a run that is broken off, the attacks that it came to stand there. */
function write(): void {
  const text = [
    '# What the server was put through',
    '',
    `Written by \`npm run bench -- faults ${minutes} ${moments}\` on ${machine}. Each attack has a store of its own; nothing leaves the machine. Times and memory are of this run and this machine.`,
    '',
    ...lines,
    '',
    ...(lines.includes('## Soak')
      ? ['![Memory, handles and answer times over the soak](faults.svg)', '']
      : []),
    WEAK,
  ];
  writeFileSync('bench/FAULTS.md', text.join('\n'));
}

for (const [part, attacks] of ATTACKS) {
  const chosen = attacks.filter(({ name }) => name.includes(only));
  if (chosen.length === 0) continue;
  const heading = lines.length === 0 ? [] : [''];
  lines.push(
    ...heading,
    `## ${part}`,
    '',
    '| attack | promise | what happened | held |',
    '| --- | --- | --- | --- |',
  );
  for (const { name, promise, run } of chosen) {
    let outcome;
    try {
      outcome = await run();
    } catch (error) {
      outcome = { held: false, what: error instanceof Error ? error.message : String(error) };
    }
    if (!outcome.held) broke++;
    const what = outcome.what.replace(/\s+/g, ' ').replaceAll('|', '/');
    console.log(`${outcome.held ? 'held ' : 'BROKE'} ${name}: ${what}`);
    lines.push(`| ${name} | ${promise} | ${what} | ${outcome.held ? 'yes' : '**no**'} |`);
    if (only === '') write();
  }
}
process.exitCode = broke === 0 ? 0 : 1;
