import type { OnsetsSearchAnswer, ReadBody } from '@flail/contract';
import { memo } from 'react';
import { api } from '../api/client.js';
import { readBody } from '../api/queries.js';
import { useTold } from '../api/useTold.js';
import { InvestigateLink } from '../cases/InvestigateLink.js';
import { type Span, useViewParameter, useViewState } from '../context/view-state.js';
import { useKeys, useRowKeys } from '../frame/keys.js';
import { LongWait } from '../states/LongWait.js';
import { Failure, Message } from '../states/States.js';
import { useShown } from '../states/useShown.js';
import { ChosenGroup } from './ChosenGroup.js';
import { Ladder } from './Ladder.js';
import { Origins } from './Origins.js';
import { onsetsFinding } from './sentences.js';
import list from '../frame/list.module.css';
import classes from './onsets.module.css';

/** What moved, in the order in which it began. */
export function OnsetsView() {
  const [state] = useViewState();
  const body = readBody(state);
  if (!body || !state.focus)
    return (
      <Message title="What moved first">
        <p>
          Draw the bad time on the timeband above, or type it there. All series are looked through for what
          left its normal range in it, and put in the order in which they began.
        </p>
      </Message>
    );
  return <Onsets body={body} focus={state.focus} />;
}

function Onsets({ body, focus: { from, to } }: { body: ReadBody; focus: Span }) {
  const onsets = useTold(['onsets', body], (told, signal) => api.onsets(body, told, signal));
  const { answer } = useShown(onsets);
  if (onsets.isError) return <Failure error={onsets.error} onRetry={() => void onsets.refetch()} />;
  if (!onsets.data || !answer)
    return (
      <div className={classes.looking}>
        <p>Looking through all series for what left its normal range, eight days of each.</p>
        <LongWait progress={onsets.progress} what="series" queryKey="onsets" />
      </div>
    );
  return <Answered answer={answer} from={from} to={to} />;
}

interface AnsweredProps extends Span {
  answer: OnsetsSearchAnswer;
}

const Answered = memo(function Answered({ answer, from, to }: AnsweredProps) {
  const [chosenText, setChosen] = useViewParameter('row', '');
  const { groups } = answer;
  const chosen = chosenText === '' ? -1 : Number(chosenText);
  useRowKeys(groups.length, chosen, (index) => setChosen(String(index)), {});
  useKeys({ Escape: () => setChosen('') });
  return (
    <section className={classes.view} aria-label="Onsets">
      <div className={classes.head}>
        <p className={list.finding} data-testid="finding">
          {onsetsFinding(answer)}
        </p>
        {groups.length > 0 && (
          <span className={list.onward}>
            <InvestigateLink />
          </span>
        )}
      </div>
      {groups.length === 0 ? (
        <Message title="A quiet time">
          <p>Habitual peaks, what flaps regularly and single blips are no news and do not stand here.</p>
        </Message>
      ) : (
        <Moved answer={answer} focus={{ from, to }} chosen={chosen} onChoose={setChosen} />
      )}
    </section>
  );
});

interface MovedProps {
  answer: OnsetsSearchAnswer;
  focus: Span;
  chosen: number;
  onChoose: (row: string) => void;
}

/** What moved as a ladder, and beside it the candidates or the group that is chosen. */
function Moved({ answer, focus, chosen, onChoose }: MovedProps) {
  const group = answer.groups[chosen];
  return (
    <div className={classes.two}>
      <Ladder
        answer={answer}
        focus={focus}
        chosen={chosen}
        onChoose={(index) => onChoose(index === chosen ? '' : String(index))}
      />
      <aside className={classes.panel} aria-label="Beside the ladder" data-testid="origins" tabIndex={0}>
        {group ? (
          <ChosenGroup group={group} answer={answer} index={chosen} />
        ) : (
          <Origins answer={answer} onChoose={onChoose} />
        )}
      </aside>
    </div>
  );
}
