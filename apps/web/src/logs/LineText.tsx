import type { LogRecord } from '@flail/contract';
import classes from './logs.module.css';

const LONGEST = 600;

/** The text of a record, its slots faintly marked. Always text, never markup. */
export function LineText({ record, whole = false }: { record: LogRecord; whole?: boolean }) {
  const text = whole ? record.text : record.text.slice(0, LONGEST);
  const pieces: { text: string; slot: boolean }[] = [];
  let at = 0;
  for (const [start, end] of record.slots) {
    if (start >= text.length) break;
    if (start > at) pieces.push({ text: text.slice(at, start), slot: false });
    pieces.push({ text: text.slice(start, end), slot: true });
    at = end;
  }
  if (at < text.length) pieces.push({ text: text.slice(at), slot: false });
  return (
    <span className={whole ? classes.wholeText : classes.text}>
      {pieces.map((piece, index) =>
        piece.slot ? (
          <span key={index} className={classes.slot}>
            {piece.text}
          </span>
        ) : (
          piece.text
        ),
      )}
      {text.length < record.text.length && '…'}
    </span>
  );
}
