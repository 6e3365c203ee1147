import type { ChangesSearchAnswer, OnsetsSearchAnswer } from '@flail/contract';
import { TextInput } from '@mantine/core';
import { useCallbackRef } from '@mantine/hooks';
import { useQueryClient } from '@tanstack/react-query';
import { memo, useMemo } from 'react';
import { api } from '../api/client.js';
import { readBody, useChanges, useHeld } from '../api/queries.js';
import { useTold } from '../api/useTold.js';
import { type Span, useViewParameter, useViewState } from '../context/view-state.js';
import { Choice } from '../frame/Choice.js';
import { useKeys, useRowKeys } from '../frame/keys.js';
import { Failure, Message, Waiting } from '../states/States.js';
import { useShown } from '../states/useShown.js';
import { ChangeRow } from './ChangeRow.js';
import { changesFinding, KIND_GLYPHS, rowsOf, textOf, thenOf } from './changes.js';
import { ChosenChange } from './ChosenChange.js';
import { Lane } from './Lane.js';
import list from '../frame/list.module.css';
import classes from './changes.module.css';

const DAY = 86_400_000;
const REACHES = ['near', 'day', 'all'] as const;

/** What was changed, by whom, and what moved after it. */
export function ChangesView() {
  const [state] = useViewState();
  const held = useHeld().data;
  const [reach] = useReach(state.focus !== undefined);
  if (!held?.span) return null;
  const to = state.focus?.to ?? held.until;
  const length = state.focus ? state.focus.to - state.focus.from : DAY;
  const span: Span =
    reach === 'all'
      ? held.span
      : { from: reach === 'day' ? to - DAY : to - length - Math.max(length, 3_600_000), to };
  return <Changes span={span} />;
}

/** How far back is looked. */
const useReach = (focused: boolean) => useViewParameter('reach', focused ? 'near' : 'day');

function Changes({ span }: { span: Span }) {
  const [state] = useViewState();
  const client = useQueryClient();
  const changes = useChanges(state.dataset, span);
  const body = readBody(state);
  const onsets = useTold(['onsets', body], (told, signal) => api.onsets(body!, told, signal), {
    enabled: body !== undefined,
  });
  const { answer, stale } = useShown(changes);
  const { answer: moved } = useShown(onsets);
  if (changes.isError) return <Failure error={changes.error} onRetry={() => void changes.refetch()} />;
  if (!answer) return <Waiting onCancel={() => void client.cancelQueries({ queryKey: ['changes'] })} />;
  return <Answered answer={answer} stale={stale} onsets={moved} from={span.from} to={span.to} />;
}

interface AnsweredProps extends Span {
  answer: ChangesSearchAnswer;
  /** Whether another answer is on its way. */
  stale: boolean;
  /** What moved in the focus; undefined while it is looked for. */
  onsets: OnsetsSearchAnswer | undefined;
}

const Answered = memo(function Answered({ answer, stale, onsets, from, to }: AnsweredProps) {
  const [{ focus }] = useViewState();
  const [reach, setReach] = useReach(focus !== undefined);
  const [find, setFind] = useViewParameter('find', '');
  const [kind, setKind] = useViewParameter('kind', '');
  const [chosenId, setChosen] = useViewParameter('change', '');
  const choose = useCallbackRef(setChosen);
  const rows = useMemo(() => rowsOf(answer.changes), [answer]);
  const shown = useMemo(
    () =>
      rows.filter(
        (row) =>
          (kind === '' || row.kind === kind) && (find === '' || textOf(row).includes(find.toLowerCase())),
      ),
    [rows, kind, find],
  );
  const selected = shown.findIndex(({ id }) => id === chosenId);
  useRowKeys(shown.length, selected, (index) => setChosen(shown[index]!.id), {});
  useKeys({ Escape: () => setChosen('') });
  const kinds = [...new Set(rows.map((row) => row.kind))];
  const chosen = shown[selected];
  return (
    <section className={classes.view} aria-label="Changes" data-stale={stale}>
      <div className={classes.head}>
        <p className={list.finding} data-testid="finding">
          {changesFinding(rows, focus, onsets)}
        </p>
        <Choice
          aria-label="How far back"
          data={REACHES.map((value) => ({
            value,
            label: { near: 'around the focus', day: 'a day', all: 'all held' }[value],
          }))}
          value={reach}
          onChange={setReach}
        />
        <TextInput
          w={170}
          aria-label="Find changes"
          placeholder="service, key, who"
          value={find}
          onChange={({ currentTarget }) => setFind(currentTarget.value)}
        />
      </div>
      <Lane rows={shown} span={{ from, to }} focus={focus} chosen={chosenId} onChoose={choose} />
      <p className={classes.kinds} role="group" aria-label="Kinds of changes">
        {kinds.map((one) => (
          <button
            key={one}
            type="button"
            className="word"
            aria-pressed={kind === one}
            data-on={kind === one}
            onClick={() => setKind(kind === one ? '' : one)}
          >
            {KIND_GLYPHS[one] ?? '·'} {one} {rows.filter((row) => row.kind === one).length}
          </button>
        ))}
        {answer.total > answer.changes.length && (
          <span className="soft">
            The newest {answer.changes.length} of {answer.total}.
          </span>
        )}
      </p>
      <div className={classes.two}>
        <div className={list.scroller} tabIndex={0} aria-label="Changes, the newest first">
          {shown.length === 0 ? (
            <Message title={rows.length === 0 ? 'Nothing was changed' : 'No change has these words'}>
              <p>
                {rows.length === 0
                  ? 'No change was told of in this time. Changes come as CloudEvents; see docs/sending-data.md.'
                  : 'Other words, another kind, or a longer time may have some.'}
              </p>
            </Message>
          ) : (
            <table className={classes.table}>
              <tbody>
                {shown.map((row) => (
                  <ChangeRow
                    key={`${row.source} ${row.id}`}
                    row={row}
                    selected={row.id === chosenId}
                    then={thenOf(row, onsets)}
                    onChoose={choose}
                  />
                ))}
              </tbody>
            </table>
          )}
        </div>
        {chosen && (
          <ChosenChange
            row={chosen}
            then={thenOf(chosen, onsets)}
            canRevert={answer.actions.includes('revert')}
          />
        )}
      </div>
    </section>
  );
});
