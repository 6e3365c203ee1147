/** A place in the code, as a stack trace names it. */
export interface Frame {
  file: string;
  line: string;
  function: string;
}

/** Fields of the frame that a trace is known by, named by OpenTelemetry's semantic conventions. */
export const FRAME_FIELDS = ['code.file.path', 'code.line.number', 'code.function.name'] as const;

/** Frames as the common runtimes write them: each gives function, file and line. */
const FORMS: readonly { form: RegExp; order: readonly [fn: number, file: number, line: number] }[] = [
  // at handler (/srv/app/main.js:12:7) and at /srv/app/main.js:12:7
  {
    form: /^\s*at (?:async )?(?:(.+?) \()?((?:file:\/\/)?[^()\s][^()]*?):(\d+):\d+\)?\s*$/,
    order: [1, 2, 3],
  },
  // at org.example.Gate.open(Gate.java:42)
  { form: /^\s*at (?:[\w.@/$-]+\/)?([\w.$<>]+)\(([\w$-]+\.\w+):(\d+)\)/, order: [1, 2, 3] },
  // File "/srv/app/main.py", line 12, in handler
  { form: /^\s*File "([^"]+)", line (\d+)(?:, in (.+?))?\s*$/, order: [3, 1, 2] },
  // at Gate.Open() in /srv/app/Gate.cs:line 42
  { form: /^\s*at (.+?) in (.+):line (\d+)\s*$/, order: [1, 2, 3] },
  // 	/srv/app/main.go:42 +0x1d
  { form: /^\s+(?:()(\/[^\s:]+\.go)):(\d+)(?: \+0x[\da-f]+)?\s*$/, order: [1, 2, 3] },
];

/** Code of runtimes and of installed packages: what fails there was called from elsewhere. */
const FOREIGN =
  /(?:^|[/\\])(?:node_modules|site-packages|dist-packages|vendor|\.cargo|usr[/\\]lib)[/\\]|^node:|^internal[/\\]|\/libexec\/go\/|\/go\/(?:src|pkg\/mod)\//;
const FOREIGN_FUNCTION = /^(?:java|javax|jdk|sun|com\.sun|kotlin|scala|System|Microsoft)\./;

/** Lines of a trace that are looked at. */
const MAX_LINES = 200;

/** The frame nearest to the failure that is the program's own, or else the nearest; undefined where there is none. */
export function ownFrame(text: string): Frame | undefined {
  const frames: Frame[] = [];
  for (const line of text.split('\n', MAX_LINES).slice(1)) {
    for (const { form, order } of FORMS) {
      const match = form.exec(line);
      if (!match) continue;
      const [fn, file, number] = order.map((group) => match[group] ?? '');
      frames.push({ function: fn!, file: file!, line: number! });
      break;
    }
  }
  // This one runtime names the frame that failed last.
  if (/^\s*Traceback \(most recent call last\)/m.test(text)) frames.reverse();
  const own = frames.find((frame) => !FOREIGN.test(frame.file) && !FOREIGN_FUNCTION.test(frame.function));
  return own ?? frames[0];
}
