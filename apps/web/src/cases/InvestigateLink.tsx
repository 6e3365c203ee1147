import { useNavigate, useSearchParams } from 'react-router';
import { carriedParameters, type Span, useViewState, writeState } from '../context/view-state.js';

/** One step from anything wrong to the standard questions about it. */
export function InvestigateLink({
  focus,
  scope,
  job,
  words = 'investigate this',
}: {
  focus?: Span;
  scope?: string;
  /** Whose runs it is about; of requests where none is named. */
  job?: string;
  words?: string;
}) {
  const [state] = useViewState();
  const [parameters] = useSearchParams();
  const navigate = useNavigate();
  if (!focus && !state.focus) return null;
  return (
    <button
      type="button"
      className="word"
      onClick={() => {
        const next = writeState(carriedParameters(parameters), {
          ...(focus && { focus }),
          ...(scope !== undefined && { scope }),
        });
        next.set('investigate', '1');
        if (job !== undefined) next.set('job', job);
        void navigate(`/case?${next.toString()}`);
      }}
    >
      {words}
    </button>
  );
}
