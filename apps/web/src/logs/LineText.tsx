import type { LogRecord } from '@flail/contract';
import { type Highlight, piecesOf } from './highlights.js';
import classes from './logs.module.css';

const LONGEST = 600;
const NONE: readonly Highlight[] = [];

interface Props {
  record: LogRecord;
  whole?: boolean;
  highlights?: readonly Highlight[];
}

/** The text of a record, its slots faintly marked. Always text, never markup. */
export function LineText({ record, whole = false, highlights = NONE }: Props) {
  const text = whole ? record.text : record.text.slice(0, LONGEST);
  return (
    <span className={whole ? classes.wholeText : classes.text} data-selectable>
      {piecesOf(text, record.slots, highlights).map((piece, index) => {
        const slot = piece.slot ? classes.slot : undefined;
        if (piece.mark)
          return (
            <mark key={index} className={slot} data-colour={piece.mark.colour ?? 'scope'}>
              {piece.text}
            </mark>
          );
        return slot ? (
          <span key={index} className={slot}>
            {piece.text}
          </span>
        ) : (
          piece.text
        );
      })}
      {text.length < record.text.length && '…'}
    </span>
  );
}
