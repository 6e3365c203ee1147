/** Segments per column number in the id of a column block; both stay far below 2^53 together. */
export const SEGMENTS_PER_COLUMN = 2 ** 31;

/** Id of a column's block: the column's number, then the segment's, so that a scan over one column is one range. */
export const blockId = (column: number, segment: number): number => column * SEGMENTS_PER_COLUMN + segment;
