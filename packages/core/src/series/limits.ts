const LIMIT = '.limit';

/** The metric of which another is the limit, or the group of metrics that it is the limit of; undefined of others. */
export const limitedBy = (metric: string): string | undefined =>
  metric.endsWith(LIMIT) ? metric.slice(0, -LIMIT.length) : undefined;

/**
 * What the limit of a metric may be called: `pool.open` has `pool.open.limit`, or `pool.limit` as all of its group.
 * A limit has none.
 */
export const limitNames = (metric: string): string[] =>
  limitedBy(metric) !== undefined
    ? []
    : [...new Set([metric, metric.replace(/\.[^.]+$/, '')])].map((stem) => stem + LIMIT);
