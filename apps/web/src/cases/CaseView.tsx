import type { CaseAnswer } from '@flail/contract';
import { Button, Menu, Select, TextInput } from '@mantine/core';
import { useQueryClient } from '@tanstack/react-query';
import { lazy, Suspense, useEffect, useState } from 'react';
import { Link } from 'react-router';
import { api } from '../api/client.js';
import { readBody, useCase } from '../api/queries.js';
import { useViewParameter, useViewState } from '../context/view-state.js';
import { saveText } from '../export/save.js';
import { percent } from '../format/numbers.js';
import { windowText } from '../format/times.js';
import { Choice } from '../frame/Choice.js';
import { Failure, Waiting } from '../states/States.js';
import { CasePins } from './CasePins.js';
import { Hypotheses } from './Hypotheses.js';
import { Investigation } from './Investigation.js';
import { Notes } from './Notes.js';
import { isOtherMatter } from './own-case.js';
import { useCaseChange, useCaseInFull, useCases, useMakeCase } from './queries.js';
import { Recovery } from './Recovery.js';
import { Remedies } from './Remedies.js';
import { Timeline } from './Timeline.js';
import classes from './cases.module.css';

const SaveCase = lazy(() => import('./SaveCase.js'));

const PARTS = [
  { value: 'found', label: 'what was found' },
  { value: 'timeline', label: 'what happened when' },
  { value: 'done', label: 'what was done' },
  { value: 'notes', label: 'notes' },
];

/** An investigation that is kept: what was found, what it may be, what was done, and whether it has ended. */
export function CaseView() {
  const cases = useCases();
  const open = useCase();
  const [chosen, setChosen] = useViewParameter('case', '');
  const id = chosen === '' ? open?.id : Number(chosen);
  const kept = useCaseInFull(id);
  const client = useQueryClient();
  const own = useOwnCase(kept.data, chosen, (next) => setChosen(String(next)));
  if (cases.isError || kept.isError)
    return (
      <Failure
        error={(cases.error ?? kept.error)!}
        onRetry={() => void Promise.all([cases.refetch(), kept.refetch()])}
      />
    );
  if (own.failed) return <Failure error={own.failed} onRetry={own.retry} />;
  if (!kept.data || !cases.data || own.making)
    return <Waiting onCancel={() => void client.cancelQueries({ queryKey: ['case'] })} />;
  return (
    <section className={classes.view} aria-label="Case">
      <Head kept={kept.data} cases={cases.data} onChoose={(next) => setChosen(String(next))} />
      <Body key={kept.data.id} kept={kept.data} />
    </section>
  );
}

/** Asked for from another view, another matter than that of the newest case gets a case of its own. */
function useOwnCase(kept: CaseAnswer | undefined, chosen: string, onMade: (id: number) => void) {
  const [state] = useViewState();
  const [wanted] = useViewParameter('investigate', '');
  const [job] = useViewParameter('job', '');
  const body = readBody(state);
  const make = useMakeCase(onMade);
  const making =
    wanted !== '' && chosen === '' && !!body && !!kept && isOtherMatter(kept.contents, body, job);
  useEffect(() => {
    if (making && make.isIdle) make.mutate();
  });
  return { making, failed: make.error, retry: () => make.mutate() };
}

function Head({
  kept,
  cases,
  onChoose,
}: {
  kept: CaseAnswer;
  cases: readonly { id: number; name: string }[];
  onChoose: (id: number) => void;
}) {
  const change = useCaseChange(kept.id);
  const make = useMakeCase(onChoose);
  const { status, owner } = kept.contents;
  const [saving, setSaving] = useState(false);
  return (
    <div className={classes.head}>
      <TextInput
        key={`name ${kept.id} ${kept.name}`}
        className={classes.name}
        variant="unstyled"
        aria-label="Name of the case"
        defaultValue={kept.name}
        onBlur={({ currentTarget }) => {
          const name = currentTarget.value.trim();
          if (name !== '' && name !== kept.name) change.mutate({ name });
        }}
      />
      <Choice
        aria-label="Status"
        data={['open', 'watching', 'closed']}
        value={status}
        onChange={(value) => change.mutate({ contents: { status: value } })}
      />
      <TextInput
        key={`owner ${kept.id} ${owner}`}
        w={130}
        aria-label="Owner"
        placeholder="owner"
        defaultValue={owner}
        onBlur={({ currentTarget }) => {
          if (currentTarget.value.trim() !== owner)
            change.mutate({ contents: { owner: currentTarget.value.trim() } });
        }}
      />
      <Menu position="bottom-end" withinPortal>
        <Menu.Target>
          <Button>report</Button>
        </Menu.Target>
        <Menu.Dropdown>
          <Menu.Item component="a" href={api.reportAddress(kept.id, 'html')} target="_blank" rel="noreferrer">
            a page to read or print
          </Menu.Item>
          {(['html', 'markdown', 'json'] as const).map((format) => (
            <Menu.Item key={format} onClick={() => void saveReport(kept, format)}>
              save as {format === 'html' ? 'HTML' : format === 'json' ? 'JSON' : 'Markdown'}
            </Menu.Item>
          ))}
          <Menu.Item onClick={() => setSaving(true)}>save with its data, for another Flail</Menu.Item>
        </Menu.Dropdown>
      </Menu>
      <Select
        size="xs"
        w={170}
        aria-label="Case shown"
        data={cases.map(({ id, name }) => ({ value: String(id), label: `${name} (${id})` }))}
        value={String(kept.id)}
        allowDeselect={false}
        onChange={(value) => value !== null && onChoose(Number(value))}
      />
      <button type="button" className="word" onClick={() => make.mutate()}>
        open another
      </button>
      {change.isError && <span role="alert">{change.error.message}</span>}
      {saving && (
        <Suspense fallback={null}>
          <SaveCase kept={kept} onClose={() => setSaving(false)} />
        </Suspense>
      )}
    </div>
  );
}

const ENDINGS = {
  html: ['html', 'text/html'],
  markdown: ['md', 'text/markdown'],
  json: ['json', 'application/json'],
} as const;

async function saveReport({ id, name }: CaseAnswer, format: keyof typeof ENDINGS): Promise<void> {
  const [ending, type] = ENDINGS[format];
  saveText(`${name}.${ending}`, await api.report(id, format), type);
}

function Body({ kept }: { kept: CaseAnswer }) {
  const [part, setPart] = useViewParameter('part', 'found');
  const [state] = useViewState();
  const change = useCaseChange(kept.id);
  const { contents } = kept;
  const { window, baseline } = contents;
  const about = window && { from: Date.parse(window.from), to: Date.parse(window.to) };
  const body = readBody(state);
  return (
    <div className={classes.two}>
      <div className={classes.main}>
        <p className={classes.about}>
          {about ? `About ${windowText(about.from, about.to)}. ` : 'It is about no time yet. '}
          {body && (
            <button
              type="button"
              className="word"
              onClick={() =>
                change.mutate({
                  contents: {
                    dataset: body.dataset ?? 'live',
                    window: body.window,
                    scope: state.scope,
                    ...(body.baseline && { baseline: body.baseline }),
                  },
                })
              }
            >
              make it about the focus
            </button>
          )}
        </p>
        <Similar kept={kept} />
        <Choice aria-label="Part of the case" data={PARTS} value={part} onChange={setPart} />
        {part === 'found' && (
          <>
            <Investigation kept={kept} />
            <Hypotheses
              contents={contents}
              onChange={(hypotheses) => change.mutate({ contents: { hypotheses } })}
            />
          </>
        )}
        {part === 'timeline' && (
          <Timeline contents={contents} onChange={(timeline) => change.mutate({ contents: { timeline } })} />
        )}
        {part === 'done' && (
          <>
            {window && baseline && <Recovery contents={contents} />}
            <Remedies
              contents={contents}
              onChange={(remedies) => change.mutate({ contents: { remedies } })}
            />
          </>
        )}
        {part === 'notes' && (
          <Notes contents={contents} onChange={(notes) => change.mutate({ contents: { notes } })} />
        )}
      </div>
      <CasePins caseId={kept.id} />
    </div>
  );
}

function Similar({ kept: { similar } }: { kept: CaseAnswer }) {
  if (similar.length === 0) return null;
  return (
    <div className={classes.similar} data-testid="similar">
      {similar.map(({ id, name, likeness, shared, helped }) => (
        <p key={id}>
          Like <Link to={`/case?case=${id}`}>{name}</Link>, closed ({percent(likeness)} alike):{' '}
          {shared.slice(0, 4).join('; ')}.
          {helped.length > 0 && <b> What helped then: {helped.join('; ')}.</b>}
        </p>
      ))}
    </div>
  );
}
