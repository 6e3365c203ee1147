/** Parameters of the view that say which two cohorts are told apart. */
const NAMES = [
  'items',
  'first',
  'firstScope',
  'second',
  'secondScope',
  'secondIn',
  'service',
  'operation',
  'job',
  'slower',
  'faster',
];

/** The part of a view's parameters that makes its cohorts. */
export function cohortParameters(parameters: URLSearchParams): string {
  const own = new URLSearchParams();
  for (const name of NAMES) {
    const value = parameters.get(name);
    if (value !== null && value !== '') own.set(name, value);
  }
  return own.toString();
}

/** A view's parameters with the cohorts that were kept; windows and scope stay. */
export function withCohorts(parameters: URLSearchParams, kept: string): URLSearchParams {
  const next = new URLSearchParams(parameters);
  for (const name of NAMES) next.delete(name);
  for (const [name, value] of new URLSearchParams(kept)) if (NAMES.includes(name)) next.set(name, value);
  return next;
}
