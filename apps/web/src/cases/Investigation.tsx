import type {
  CaseAnswer,
  FindingBody,
  InvestigationAnswer,
  InvestigationNews,
  RemedyBody,
} from '@flail/contract';
import { Button, Progress } from '@mantine/core';
import { useEffect, useRef, useState } from 'react';
import { Link } from 'react-router';
import { api } from '../api/client.js';
import { readBody } from '../api/queries.js';
import { useViewParameter, useViewState } from '../context/view-state.js';
import { Conclusion } from './Conclusion.js';
import { useCaseChange } from './queries.js';
import classes from './cases.module.css';

/** Asks the standard questions one after the other, shows what each brings, and keeps it in the case. */
export function Investigation({ kept }: { kept: CaseAnswer }) {
  const [state] = useViewState();
  const [wanted, setWanted] = useViewParameter('investigate', '');
  const [job, setJob] = useViewParameter('job', kept.contents.job);
  const [news, setNews] = useState<InvestigationNews>();
  const [failed, setFailed] = useState('');
  const running = useRef<AbortController>(undefined);
  const change = useCaseChange(kept.id);
  const body = readBody(state);
  const going = news !== undefined;

  const keep = (answer: InvestigationAnswer): void => {
    const { contents, name } = kept;
    const [cause] = answer.conclusion.causes;
    const written = contents.remedies.map(({ text }) => text);
    const remedies: RemedyBody[] = (
      cause
        ? [
            { kind: 'temporary' as const, text: cause.temporary },
            { kind: 'lasting' as const, text: cause.lasting },
          ]
        : []
    )
      .filter(({ text }) => !written.includes(text))
      .map((one) => ({ ...one, owner: '', done: false, helped: false }));
    change.mutate({
      ...(name === 'Untitled' && cause && { name: cause.text.slice(0, 120) }),
      contents: {
        dataset: body!.dataset ?? 'live',
        window: body!.window,
        scope: state.scope,
        job,
        ...((answer.baseline ?? body!.baseline) && { baseline: answer.baseline ?? body!.baseline }),
        findings: answer.findings,
        conclusion: answer.conclusion,
        // What somebody wrote stays; what was found before is found anew.
        timeline: [...contents.timeline.filter(({ found }) => found !== true), ...answer.timeline],
        remedies: [...contents.remedies, ...remedies],
      },
    });
  };
  const start = (): void => {
    if (!body) return;
    running.current?.abort();
    const controller = new AbortController();
    running.current = controller;
    setFailed('');
    setNews({ question: 'Asking.', done: 0, of: 1, findings: [] });
    api
      .investigate({ ...body, ...(job !== '' && { job }) }, setNews, controller.signal)
      .then(keep)
      .catch((error: unknown) => {
        if (!controller.signal.aborted) setFailed(error instanceof Error ? error.message : String(error));
      })
      .finally(() => setNews(undefined));
  };
  const started = useRef(false);
  useEffect(() => {
    // Asked for from another view: once, and not again when one comes back to the address.
    if (wanted === '' || started.current || !body) return;
    started.current = true;
    setWanted('');
    start();
  });
  useEffect(() => () => running.current?.abort(), []);

  return (
    <div className={classes.investigation}>
      <div className={classes.line}>
        <Button onClick={start} disabled={!body || going} variant="filled">
          {job === '' ? 'Investigate the focus' : `Investigate the runs of ${job}`}
        </Button>
        {job !== '' && !going && (
          <button type="button" className="word" onClick={() => setJob('')}>
            requests instead
          </button>
        )}
        {!body && <span className="soft">Set a focus first.</span>}
        {going && (
          <>
            <Progress
              value={(100 * news.done) / Math.max(1, news.of)}
              animated
              size="xs"
              w={140}
              aria-label="Questions asked"
            />
            <span data-testid="question">{news.question}</span>
            <button type="button" className="word" onClick={() => running.current?.abort()}>
              stop
            </button>
          </>
        )}
        {failed !== '' && <span role="alert">{failed}</span>}
      </div>
      {!going && kept.contents.findings.length > 0 && <Conclusion contents={kept.contents} />}
      <Findings findings={going ? news.findings : kept.contents.findings} />
    </div>
  );
}

const QUESTIONS: [question: string, kinds: readonly string[]][] = [
  ['What goes wrong, and how much', ['impact', 'runs', 'begins', 'broke', 'spread']],
  ['What is new in the logs', ['pattern', 'early']],
  ['What moved first', ['onset']],
  ['What changed before it', ['change']],
  ['What sets it apart', ['signature']],
  ['Looked for and not found', ['nothing']],
];

function Findings({ findings }: { findings: readonly FindingBody[] }) {
  if (findings.length === 0) return null;
  return (
    <div className={classes.findings} data-testid="findings">
      {QUESTIONS.map(([question, kinds]) => {
        const own = findings.filter(({ kind }) => kinds.includes(kind));
        if (own.length === 0) return null;
        return (
          <div key={question}>
            <h2>{question}</h2>
            <ul>
              {own.map(({ text, address }) => (
                <li key={text}>
                  <Link to={address}>{text}</Link>
                </li>
              ))}
            </ul>
          </div>
        );
      })}
    </div>
  );
}
