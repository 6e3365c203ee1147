/** A segment is no longer there: it was put together with others since the question began. */
export class SegmentGoneError extends Error {
  constructor(readonly segment: number) {
    super(`The segment ${segment} is gone.`);
  }
}
