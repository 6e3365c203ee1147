import type { PlotAnswer, SeriesSource } from '@flail/contract';
import { useNavigate, useSearchParams } from 'react-router';
import { carriedParameters, useViewState, writeState } from '../context/view-state.js';
import { dayTime } from '../format/times.js';
import { readingAt } from './plots.js';
import classes from './metrics.module.css';

/** What was measured at a moment that was pressed, and the ways on from it. */
export function PlotPoint({
  answer,
  point: { moment, trace },
  source,
  onClose,
}: {
  answer: PlotAnswer;
  point: { moment: number; trace?: string };
  source: SeriesSource;
  onClose: () => void;
}) {
  const [parameters] = useSearchParams();
  const [state] = useViewState();
  const navigate = useNavigate();
  const step = Math.max(60_000, answer.step * 1000);
  const from = Math.floor(moment / step) * step;
  const go = (path: string, more: Record<string, string>, scope?: string): void => {
    const next = writeState(carriedParameters(parameters), {
      focus: { from, to: from + step },
      scope: scope ?? state.scope,
    });
    for (const [name, value] of Object.entries(more)) next.set(name, value);
    void navigate(`${path}?${next.toString()}`, {
      state: {
        carried: `${dayTime(from)}, from ${answer.name}`,
        back: `${location.pathname}${location.search}`,
      },
    });
  };
  const service =
    source.of === 'metric'
      ? source.where?.service?.[0]
      : source.of === 'requests'
        ? source.service
        : undefined;
  const scope = service === undefined ? undefined : `service = "${service}"`;
  return (
    <p className={classes.point} data-testid="point">
      {readingAt(answer, moment)}.
      <button
        type="button"
        className="word"
        onClick={() => go('/logs', {}, source.of === 'pattern' ? `pattern ${source.pattern}` : scope)}
      >
        lines of then
      </button>
      <button type="button" className="word" onClick={() => go('/requests', {}, scope)}>
        requests of then
      </button>
      {trace !== undefined && (
        <button type="button" className="word" onClick={() => go('/requests', { request: trace })}>
          this sample request
        </button>
      )}
      <button type="button" className="word" onClick={() => go('/onsets', {})}>
        what moved then
      </button>
      <button type="button" className="word" onClick={onClose}>
        close
      </button>
    </p>
  );
}
