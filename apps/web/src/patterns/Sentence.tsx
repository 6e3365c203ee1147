import type { SentencePart } from '@flail/contract';
import classes from './patterns.module.css';

/** A pattern as a sentence with gaps: constants in ink, each gap underscored around a typical value. */
export const Sentence = ({ parts }: { parts: readonly SentencePart[] }) => (
  <span className={classes.sentence}>
    {parts.map((part, index) =>
      'text' in part ? (
        <span key={index}>{part.text}</span>
      ) : (
        <span key={index} className={classes.gap} title={`${part.type}, for example ${part.slot}`}>
          {part.slot.replace(/\s*\n[\s\S]*/, ' …') || '…'}
        </span>
      ),
    )}
  </span>
);

/** The sentence as plain text, for names and labels. */
export const sentenceText = (parts: readonly SentencePart[]): string =>
  parts.map((part) => ('text' in part ? part.text : '…')).join('');
