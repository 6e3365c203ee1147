import { type Condition, checkExpression, parseExpression } from '@flail/core/expression';

/** A text that is marked in lines wherever it stands. */
export interface Highlight {
  text: string;
  /** Which of the colours; none for what the scope asks for. */
  colour?: number;
}

export const COLOURS = 5;

/** What the scope asks for as text, so that it can be seen in the lines. */
export function scopeTexts(scope: string): Highlight[] {
  if (scope === '' || checkExpression(scope)) return [];
  return textsIn(parseExpression(scope)).map((text) => ({ text }));
}

function textsIn(condition: Condition): string[] {
  switch (condition.kind) {
    case 'text':
      return condition.phrase.length > 1 ? [condition.phrase] : [];
    case 'and':
    case 'or':
      return condition.terms.flatMap(textsIn);
    default:
      return [];
  }
}

/** Highlights as they stand in the address, one after another, each with its colour. */
export const highlightsText = (highlights: readonly Highlight[]): string =>
  highlights.map(({ text, colour = 0 }) => `${colour}${encodeURIComponent(text)}`).join(',');

export function highlightsOf(text: string): Highlight[] {
  return text
    .split(',')
    .filter((part) => /^[0-4]./.test(part))
    .map((part) => {
      try {
        return { colour: Number(part[0]), text: decodeURIComponent(part.slice(1)) };
      } catch {
        return { colour: 0, text: part.slice(1) };
      }
    });
}

/** Marks a text in the next colour that is free, or no longer where it was marked. */
export function marked(highlights: readonly Highlight[], text: string): Highlight[] {
  if (highlights.some((one) => one.text === text)) return highlights.filter((one) => one.text !== text);
  const used = new Set(highlights.map(({ colour }) => colour));
  let colour = 0;
  while (used.has(colour) && colour < COLOURS - 1) colour++;
  return [...highlights, { text, colour }];
}

/** A piece of a line: whether it varies from line to line, and whether it is marked. */
export interface Piece {
  text: string;
  slot: boolean;
  mark?: Highlight;
}

/** Cuts a text at its slots and at what is marked in it. Case is of no account, as in the search. */
export function piecesOf(
  text: string,
  slots: readonly (readonly [start: number, end: number])[],
  highlights: readonly Highlight[],
): Piece[] {
  const cuts = new Set([0, text.length]);
  for (const [start, end] of slots) {
    if (start < text.length) cuts.add(start);
    if (end < text.length) cuts.add(end);
  }
  const lower = text.toLowerCase();
  const spans: { from: number; to: number; mark: Highlight }[] = [];
  for (const mark of highlights) {
    const wanted = mark.text.toLowerCase();
    if (wanted === '') continue;
    for (let at = lower.indexOf(wanted); at >= 0; at = lower.indexOf(wanted, at + wanted.length)) {
      spans.push({ from: at, to: at + wanted.length, mark });
      cuts.add(at).add(at + wanted.length);
    }
  }
  const places = [...cuts].sort((a, b) => a - b);
  const pieces: Piece[] = [];
  for (let index = 0; index + 1 < places.length; index++) {
    const [from, to] = [places[index]!, places[index + 1]!];
    const mark = spans.find((span) => span.from <= from && span.to >= to)?.mark;
    pieces.push({
      text: text.slice(from, to),
      slot: slots.some(([start, end]) => start <= from && end >= to),
      ...(mark && { mark }),
    });
  }
  return pieces;
}
