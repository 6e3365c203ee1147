import { useNavigate, useSearchParams } from 'react-router';
import { carriedParameters, type Span, writeState } from '../context/view-state.js';

interface Props {
  /** Parameters of Contrast that say which cohorts. */
  cohorts: Readonly<Record<string, string>>;
  focus?: Span;
  words: string;
}

/** From two cohorts that are looked at to what tells them apart. */
export function ContrastLink({ cohorts, focus, words }: Props) {
  const [parameters] = useSearchParams();
  const navigate = useNavigate();
  return (
    <button
      type="button"
      className="word"
      onClick={() => {
        const next = writeState(carriedParameters(parameters), focus ? { focus } : {});
        for (const [name, value] of Object.entries(cohorts)) next.set(name, value);
        void navigate(`/contrast?${next.toString()}`, {
          state: {
            carried: Object.values(cohorts).join(', ') || 'the focus',
            back: `${location.pathname}${location.search}`,
          },
        });
      }}
    >
      {words}
    </button>
  );
}
