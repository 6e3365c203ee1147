/** Records a second that tell of a history that comes in, not of everyday life. */
export const FLOOD_PER_SECOND = 1000;
/** By so much more must be held until answers are asked for anew. */
const MARKEDLY = 1.2;

interface Seen {
  mark: number;
  /** How much was held when the mark was set, and when it was looked at last. */
  marked: number;
  size: number;
  at: number;
  flooded: boolean;
}

/**
 * Tells when so much of a history has come in that answers about the past are no longer what they were: when
 * markedly more is held, and again once the flood is over. What is sent from moment to moment lies at the end, and
 * changes nothing of that.
 */
export class Arrivals {
  private readonly seen = new Map<string, Seen>();

  /** A number that changes with it, of a data set that holds so much at a moment in milliseconds. */
  markOf(dataset: string, size: number, at: number): number {
    const before = this.seen.get(dataset);
    if (!before) {
      this.seen.set(dataset, { mark: 0, marked: size, size, at, flooded: false });
      return 0;
    }
    const seconds = (at - before.at) / 1000;
    // Looked at twice in a moment, it tells no rate.
    if (seconds < 0.5) return before.mark;
    const flooded = (size - before.size) / seconds > FLOOD_PER_SECOND;
    const isNews = flooded ? size > before.marked * MARKEDLY : before.flooded && size > before.marked;
    const { mark, marked } = isNews ? { mark: before.mark + 1, marked: size } : before;
    this.seen.set(dataset, { mark, marked, size, at, flooded });
    return mark;
  }
}
