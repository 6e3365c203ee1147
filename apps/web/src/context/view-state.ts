import { useCallback, useEffect, useMemo } from 'react';
import { type NavigateOptions, useLocation, useSearchParams } from 'react-router';

/** How the baseline follows the focus. */
export const BASELINE_CHOICES = ['before', 'day', 'week', 'free'] as const;
export type BaselineChoice = (typeof BASELINE_CHOICES)[number];

export const BASELINE_WORDS: Record<BaselineChoice, string> = {
  before: 'just before',
  day: 'a day before',
  week: 'a week before',
  free: 'own choice',
};

/** A stretch of time in milliseconds since 1970. */
export interface Span {
  from: number;
  to: number;
}

/** What is set for every view; all of it stands in the URL. */
export interface ViewState {
  /** The data set that is looked at. */
  dataset: string;
  focus: Span | undefined;
  baseline: Span | undefined;
  choice: BaselineChoice;
  scope: string;
  /** Part of the held time that the timeband shows; all of it where undefined. */
  band: Span | undefined;
}

/** The data set that senders send to. */
export const LIVE = 'live';

const DAY = 86_400_000;

/** The baseline that belongs to a focus. */
export function baselineOf(focus: Span, choice: BaselineChoice, free: Span | undefined): Span | undefined {
  const length = focus.to - focus.from;
  switch (choice) {
    case 'before':
      return { from: focus.from - length, to: focus.from };
    case 'day':
      return { from: focus.from - DAY, to: focus.to - DAY };
    case 'week':
      return { from: focus.from - 7 * DAY, to: focus.to - 7 * DAY };
    case 'free':
      return free;
  }
}

const spanText = ({ from, to }: Span): string =>
  `${new Date(from).toISOString()}~${new Date(to).toISOString()}`;

function spanOf(text: string | null): Span | undefined {
  const [from, to] = (text ?? '').split('~').map((moment) => Date.parse(moment));
  return from !== undefined && to !== undefined && to > from ? { from, to } : undefined;
}

/** Reads the state from the parameters of a URL. */
export function readState(parameters: URLSearchParams): ViewState {
  const focus = spanOf(parameters.get('focus'));
  const given = parameters.get('against') as BaselineChoice | null;
  const choice = given !== null && BASELINE_CHOICES.includes(given) ? given : 'before';
  return {
    dataset: parameters.get('data') ?? LIVE,
    focus,
    choice,
    baseline: focus && baselineOf(focus, choice, spanOf(parameters.get('baseline'))),
    scope: parameters.get('scope') ?? '',
    band: spanOf(parameters.get('band')),
  };
}

/** A change of the state; what is not named stays. */
export interface StateChange {
  focus?: Span;
  choice?: BaselineChoice;
  /** Own choice of a baseline. */
  baseline?: Span;
  scope?: string;
  band?: Span | null;
}

/** The parameters after a change; those of the views are left as they are. */
export function writeState(parameters: URLSearchParams, change: StateChange): URLSearchParams {
  const next = new URLSearchParams(parameters);
  const set = (name: string, value: string | undefined): void => {
    if (value === undefined || value === '') next.delete(name);
    else next.set(name, value);
  };
  if (change.focus) set('focus', spanText(change.focus));
  if (change.choice) set('against', change.choice === 'before' ? undefined : change.choice);
  if (change.baseline) {
    set('against', 'free');
    set('baseline', spanText(change.baseline));
  } else if (change.choice && change.choice !== 'free') set('baseline', undefined);
  if (change.scope !== undefined) set('scope', change.scope.trim());
  if (change.band !== undefined) set('band', change.band ? spanText(change.band) : undefined);
  return next;
}

/** The parameters that go along from one view to another. */
export function carriedParameters(parameters: URLSearchParams): URLSearchParams {
  const carried = new URLSearchParams();
  for (const name of ['data', 'focus', 'against', 'baseline', 'scope', 'band']) {
    const value = parameters.get(name);
    if (value !== null) carried.set(name, value);
  }
  return carried;
}

/** The parameters that show a kept data set with the windows and scope that it was kept for. */
export function datasetParameters(id: string, view: string): string {
  const parameters = carriedParameters(new URLSearchParams(view));
  parameters.set('data', id);
  return parameters.toString();
}

/**
 * What the parameters will be once a change has been taken up, and what they still are as long as it has not: drawing
 * a view anew may take some hundred milliseconds, in which somebody goes on already.
 */
let pending: { before: string; next: URLSearchParams } | undefined;

/** The parameters with the changes that are not taken up yet. */
export const latestParameters = (parameters: URLSearchParams): URLSearchParams =>
  pending?.before === parameters.toString() ? pending.next : parameters;

/** The parameters of the address. Changes made one after another in one go all count; the router's own take the last. */
function useParameters(): [
  URLSearchParams,
  (change: (before: URLSearchParams) => URLSearchParams, options: NavigateOptions) => void,
] {
  const [parameters, setParameters] = useSearchParams();
  useEffect(() => {
    if (pending?.before !== parameters.toString()) pending = undefined;
  }, [parameters]);
  const set = useCallback(
    (change: (before: URLSearchParams) => URLSearchParams, options: NavigateOptions) => {
      const next = change(latestParameters(parameters));
      pending = { before: parameters.toString(), next };
      setParameters(next, options);
    },
    [parameters, setParameters],
  );
  return [parameters, set];
}

/** The state that all views share, and the way to change it. */
export function useViewState(): [ViewState, (change: StateChange, replace?: boolean) => void] {
  const [parameters, setParameters] = useParameters();
  const state = useMemo(() => readState(parameters), [parameters]);
  const change = useCallback(
    (next: StateChange, replace = false) => setParameters((before) => writeState(before, next), { replace }),
    [setParameters],
  );
  return [state, change];
}

/** A parameter of one view, kept in the URL as well. */
export function useViewParameter(name: string, fallback: string): [string, (value: string) => void] {
  const [parameters, setParameters] = useParameters();
  // What was carried along stays said while one looks around in the view.
  const { state } = useLocation() as { state: unknown };
  const set = useCallback(
    (value: string) =>
      setParameters(
        (before) => {
          const next = new URLSearchParams(before);
          if (value === fallback) next.delete(name);
          else next.set(name, value);
          return next;
        },
        { replace: true, state },
      ),
    [setParameters, name, fallback, state],
  );
  return [parameters.get(name) ?? fallback, set];
}
