import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { homedir } from 'node:os';
import { join } from 'node:path';
import type { LabelledText } from './texts.js';

/** Lines of a program of this machine, and what its author wrote: one expression a message. */
interface Program {
  name: string;
  files: () => string[];
  /** The text of a line behind its time and name; undefined for lines that are no messages. */
  text: (line: string) => string | undefined;
  messages: RegExp[];
}

const inFolder = (folder: string, form: RegExp): string[] =>
  existsSync(folder)
    ? readdirSync(folder)
        .filter((file) => form.test(file))
        .map((file) => join(folder, file))
    : [];

const PROGRAMS: Program[] = [
  {
    name: 'package-tool',
    files: () => ['/var/log/dpkg.log'],
    text: (line) => /^\S+ \S+ (.*)$/.exec(line)?.[1],
    messages: [
      /^startup \S+ \S+$/,
      /^status \S+ \S+ \S+$/,
      /^install \S+ \S+ \S+$/,
      /^upgrade \S+ \S+ \S+$/,
      /^remove \S+ \S+ \S+$/,
      /^configure \S+ \S+ \S+$/,
      /^trigproc \S+ \S+ \S+$/,
      /^conffile \S+ \S+$/,
    ],
  },
  {
    name: 'package-terminal',
    files: () => ['/var/log/apt/term.log'],
    text: (line) => (line.trim() === '' ? undefined : line.replace(/\r.*$/, '')),
    messages: [
      /^Log started: /,
      /^Log ended: /,
      /^Selecting previously unselected package /,
      /^Preparing to unpack /,
      /^Unpacking /,
      /^Setting up /,
      /^Processing triggers for /,
      /^\(Reading database \.\.\. (?:\d+%)?$/,
      /^\(Reading database \.\.\. \d+ files/,
      /^Adding group /,
      /^Adding user /,
      /^Adding new group /,
      /^Adding new user /,
      /^Created symlink /,
      /^update-alternatives: using /,
      /^Replacing files in old package /,
      /^Removing /,
      /^invoke-rc\.d: could not determine/,
      /^invoke-rc\.d: policy-rc\.d denied/,
    ],
  },
  {
    name: 'alternatives',
    files: () => ['/var/log/alternatives.log'],
    text: (line) => /^\S+ \S+ \S+: (.*)$/.exec(line)?.[1],
    messages: [/^run with /, /^link group \S+ updated to point to /, /^status of link group /],
  },
  {
    name: 'script-packages',
    files: () => inFolder(join(homedir(), '.npm/_logs'), /\.log$/),
    text: (line) => /^\d+ \S+ (.*)$/.exec(line)?.[1],
    messages: [
      /^fetch GET \d+ \S+ \d+ms \(cache \w+\)$/,
      /^fetch GET \d+ \S+ \d+ms attempt #\d+$/,
      /^fetch GET \d+ \S+ \d+ms$/,
      /^packumentCache corgi:\S+ set size:\S+ disposed:\S+$/,
      /^packumentCache corgi:\S+ cache-miss$/,
      /^packumentCache full:\S+ /,
      /^packumentCache heap:/,
      /^using \S+@\S+$/,
      /^title npm /,
      /^argv /,
      /^logfile logs-max:\d+ dir:/,
      /^logfile \S+$/,
      /^logfile start cleaning logs/,
      /^logfile done cleaning log files$/,
      /^logfile cleaning /,
      /^config load:\w+:/,
      /^config:load:/,
      /^placeDep \S*(?: .*)? (?:OK|REPLACE|KEEP|CONFLICT) for: \S+ want: /,
      /^tarball no local data for \S+\. Extracting by manifest\.$/,
      /^reify mark deleted \[/,
      /^reify moves \{/,
      /^deprecated \S+@\S+: /,
      /^run \S+@\S+ \w+ \S* .*$/,
      /^audit bulk request \{/,
      /^audit report \{/,
      /^idealTree buildDeps$/,
      /^fetch manifest \S+$/,
      /^cli \S+ \S+$/,
      /^os \S+ \S+$/,
      /^node v/,
      /^npm +v/,
      /^cwd /,
      /^exit \d+$/,
      /^code \d+$/,
      /^ok *$/,
      /^verbose /,
    ],
  },
];

/** Lines of programs found on this machine, read where they lie; those that no expression fits are counted. */
export function machineLines(): { lines: LabelledText[]; unlabelled: number } {
  const lines: LabelledText[] = [];
  let unlabelled = 0;
  for (const { name, files, text, messages } of PROGRAMS) {
    for (const file of files().filter((path) => existsSync(path))) {
      for (const line of readFileSync(file, 'utf8').split('\n')) {
        const said = text(line);
        if (said === undefined) continue;
        const message = messages.findIndex((form) => form.test(said));
        if (message < 0) unlabelled++;
        else lines.push({ source: name, label: `${name}#${message}`, text: said });
      }
    }
  }
  return { lines, unlabelled };
}
