import type { QuestionAnswer, QuestionPartBody } from '@flail/contract';
import { narrow } from '@flail/core/expression';
import { Drawer, Loader, TextInput } from '@mantine/core';
import { useMutation } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { Link, useNavigate } from 'react-router';
import { api } from '../api/client.js';
import { readBody, useHeld } from '../api/queries.js';
import { useViewState } from '../context/view-state.js';
import { fullCount } from '../format/numbers.js';
import { windowText } from '../format/times.js';
import classes from './questions.module.css';
import { FIRST_QUESTIONS, notReadText } from './sentences.js';

interface Turn {
  question: string;
  answer: QuestionAnswer;
}

interface Props {
  opened: boolean;
  /** A question to ask at once. */
  question: string;
  onClose: () => void;
}

/** Questions in plain words, how each was understood, and what answers it; the newest on top. */
export function AskPanel({ opened, question, onClose }: Props) {
  const [state] = useViewState();
  const held = useHeld().data;
  const [text, setText] = useState('');
  const [turns, setTurns] = useState<Turn[]>([]);
  const ask = useMutation({
    mutationFn: (asked: string) => {
      // Without a focus it is asked of the last hour that is held.
      const end = held?.span?.to ?? Date.now();
      const body = readBody(state) ?? {
        window: { from: new Date(end - 3_600_000).toISOString(), to: new Date(end).toISOString() },
        ...(state.dataset !== 'live' && { dataset: state.dataset }),
      };
      const earlier = turns.filter(({ answer }) => answer.understood).map((turn) => turn.question);
      return api.question({ ...body, question: asked, earlier });
    },
    onSuccess: (answer, asked) => {
      setTurns((before) => [...before, { question: asked, answer }]);
      setText('');
    },
  });
  const { mutate } = ask;
  useEffect(() => {
    if (opened && question !== '') mutate(question);
    // Asked once for each time the panel is opened with a question.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [opened, question]);
  const suggestions = turns.at(-1)?.answer.suggestions ?? FIRST_QUESTIONS;
  return (
    <Drawer
      opened={opened}
      onClose={onClose}
      position="right"
      size={520}
      title="Ask in plain words"
      keepMounted
      closeButtonProps={{ 'aria-label': 'Close' }}
    >
      <form
        onSubmit={(event) => {
          event.preventDefault();
          if (text.trim() !== '' && !ask.isPending) mutate(text.trim());
        }}
      >
        <TextInput
          data-autofocus
          value={text}
          maxLength={500}
          aria-label="Question"
          placeholder="which ports fail most since yesterday?"
          rightSection={ask.isPending ? <Loader size={14} aria-label="Being answered" /> : undefined}
          error={ask.error?.message}
          onChange={(event) => setText(event.currentTarget.value)}
        />
      </form>
      {ask.isPending && <p className="soft">“{ask.variables}” is being answered.</p>}
      <ol className={classes.turns} aria-label="Questions and answers" aria-live="polite">
        {turns.toReversed().map((turn, place) => (
          <li key={turns.length - place} data-testid="answer">
            <Answered turn={turn} onClose={onClose} />
          </li>
        ))}
      </ol>
      {turns.length > 0 && (
        <p>
          <button type="button" className="word" onClick={() => setTurns([])}>
            forget what was asked
          </button>
        </p>
      )}
      <section className={classes.suggestions}>
        <h2>What can be asked</h2>
        {suggestions.map((one) => (
          <p key={one}>
            <button
              type="button"
              className="word"
              disabled={ask.isPending}
              onClick={() => (one.includes('…') ? setText(one) : mutate(one))}
            >
              {one}
            </button>
          </p>
        ))}
      </section>
    </Drawer>
  );
}

function Answered({ turn: { question, answer }, onClose }: { turn: Turn; onClose: () => void }) {
  const { understood, unread, parts } = answer;
  return (
    <>
      <h2 className={classes.question}>{question}</h2>
      {understood && <Understood understood={understood} onClose={onClose} />}
      {(unread.length > 0 || !understood) && (
        <p className={classes.unread}>{notReadText(unread, understood !== undefined)}</p>
      )}
      {parts.map((part) => (
        <Part key={part.text} part={part} onClose={onClose} />
      ))}
    </>
  );
}

/** How a question was understood; taken along as windows and scope it can be changed there. */
function Understood({
  understood: { sentence, expression, window, carried },
  onClose,
}: {
  understood: NonNullable<QuestionAnswer['understood']>;
  onClose: () => void;
}) {
  const [state, change] = useViewState();
  const focus = { from: Date.parse(window.from), to: Date.parse(window.to) };
  const filter = expression.split(/(?:^|\s)then\s/)[0]!.trim();
  return (
    <p className={classes.understood}>
      Understood as: {sentence}
      {carried.length > 0 && <span className="soft"> (from before: {carried.join(', ')})</span>}.{' '}
      <span className="soft">{windowText(focus.from, focus.to)}.</span>{' '}
      {expression !== '' && <code>{expression}</code>}{' '}
      <button
        type="button"
        className="word"
        onClick={() => {
          change({ focus, ...(filter !== '' && { scope: narrow(state.scope, filter) }) });
          onClose();
        }}
      >
        {filter === '' ? 'take the time as focus' : 'take it as focus and scope'}
      </button>
    </p>
  );
}

function Part({ part, onClose }: { part: QuestionPartBody; onClose: () => void }) {
  const { text, columns, rows = [], more, view, address } = part;
  const navigate = useNavigate();
  return (
    <>
      <p>{text}</p>
      {columns && (
        <table className={classes.table}>
          <thead>
            <tr>
              {columns.map((column, at) => (
                <th key={column} scope="col" data-number={typeof rows[0]?.[at] === 'number'}>
                  {column}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {rows.map((row, at) => (
              <tr key={at}>
                {row.map((cell, column) => (
                  <td key={column} data-number={typeof cell === 'number'}>
                    {typeof cell === 'number' ? fullCount(cell) : cell}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <p>
        {more !== undefined && <span className="soft">{fullCount(more)} more. </span>}
        <Link
          className="word"
          to={address}
          onClick={(event) => {
            event.preventDefault();
            onClose();
            void navigate(address);
          }}
        >
          open in {view}
        </Link>
      </p>
    </>
  );
}
