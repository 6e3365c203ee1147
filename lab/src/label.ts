/** A text that a program formatted, and the statement that did. */
export interface Note {
  /** The format string, or the place of the call. */
  statement: string;
  text: string;
}

/** Reads what `trace/` noted: statement, 0x1f, text, 0x1e, again and again. */
export function readNotes(bytes: Buffer): Note[] {
  return bytes
    .toString('utf8')
    .split('\x1e')
    .flatMap((note) => {
      const at = note.indexOf('\x1f');
      return at < 0
        ? []
        : [{ statement: note.slice(0, at), text: note.slice(at + 1).replace(/[\r\n]+$/, '') }];
    });
}

const CONVERSION = /%[-+ #0'*.\d]*(?:hh|ll|[hlLqjzt])?[a-zA-Z%]/g;

/** Words that a format string says itself. */
const ownWords = (statement: string): number =>
  statement.replace(CONVERSION, ' ').match(/[A-Za-z]{2,}/g)?.length ?? 0;

/** Whether a statement only wraps what another one made: its last conversion is that text, and it says next to nothing itself. */
const wraps = (statement: string): boolean =>
  /%[-.*\d]*s[\s"')\]]*$/.test(statement) && ownWords(statement) <= 1;

/** A line whose statement is known. */
export interface LabelledLine {
  line: string;
  /** The statement; for lines that go on with the one before, that of the record. */
  statement: string;
  /** Whether a record begins here. */
  opens: boolean;
}

/**
 * Tells for each line of a log which statement wrote it: the innermost formatted text with which the line
 * ends that is more than a wrapper. Lines of which nothing was noted are left out, and so are those that go on
 * with them.
 */
export function labelled(lines: readonly string[], notes: readonly Note[]): LabelledLine[] {
  const byText = new Map<string, string>();
  /** Of texts of several lines, the first line with the whole. */
  const byHead = new Map<string, string[]>();
  for (const { statement, text } of notes) {
    if (text === '') continue;
    const known = byText.get(text);
    // A wrapper may give the very text that it was given.
    if (known === undefined || wraps(known)) byText.set(text, statement);
    const end = text.indexOf('\n');
    if (end > 0) {
      const head = text.slice(0, end);
      const list = byHead.get(head);
      if (!list) byHead.set(head, [text]);
      else if (!list.includes(text)) list.push(text);
    }
  }
  const found: LabelledLine[] = [];
  for (let at = 0; at < lines.length; at++) {
    const line = lines[at]!;
    if (line.trim() === '') continue;
    const { statement, text } = statementOf(line, lines, at, byText, byHead);
    if (statement === undefined) continue;
    const more = text.split('\n').length - 1;
    found.push({ line, statement, opens: true });
    for (let next = 1; next <= more; next++) found.push({ line: lines[at + next]!, statement, opens: false });
    at += more;
  }
  return found;
}

function statementOf(
  line: string,
  lines: readonly string[],
  at: number,
  byText: ReadonlyMap<string, string>,
  byHead: ReadonlyMap<string, string[]>,
): { statement: string | undefined; text: string } {
  let best: { statement: string; text: string } | undefined;
  for (let from = 0; from < line.length; from++) {
    if (from > 0 && /\w/.test(line[from - 1]!) && /\w/.test(line[from]!)) continue;
    const rest = line.slice(from).replace(/\s+$/, '');
    const whole = byHead.get(rest)?.find((text) => {
      const more = text.split('\n').slice(1);
      return more.every((one, index) => lines[at + 1 + index] === one);
    });
    const text = whole ?? rest;
    const statement = byText.get(text);
    if (statement === undefined) continue;
    best = { statement, text };
    if (!wraps(statement)) break;
  }
  return { statement: best && !wraps(best.statement) ? best.statement : undefined, text: best?.text ?? line };
}
