import type {
  CaseAnswer,
  CaseContents,
  HypothesisBody,
  Pin,
  RemedyBody,
  TimelineEntry,
} from '@flail/contract';
import { Button, Menu, SegmentedControl, Select, Textarea, TextInput } from '@mantine/core';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { lazy, Suspense, useState } from 'react';
import { Link } from 'react-router';
import { api } from '../api/client.js';
import { readBody, useCase, usePins } from '../api/queries.js';
import { useViewParameter, useViewState } from '../context/view-state.js';
import { saveText } from '../export/save.js';
import { percent } from '../format/numbers.js';
import { dayTime, windowText } from '../format/times.js';
import { Failure, Waiting } from '../states/States.js';
import { Investigation } from './Investigation.js';
import { useCaseChange, useCaseInFull, useCases } from './queries.js';
import { Recovery } from './Recovery.js';
import classes from './cases.module.css';

const Markdown = lazy(() => import('react-markdown'));

const STAGES: readonly TimelineEntry['stage'][] = ['before', 'first sign', 'spread', 'peak', 'recovery'];
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
  if (cases.isError || kept.isError)
    return (
      <Failure
        error={(cases.error ?? kept.error)!}
        onRetry={() => void Promise.all([cases.refetch(), kept.refetch()])}
      />
    );
  if (!kept.data || !cases.data)
    return <Waiting onCancel={() => void client.cancelQueries({ queryKey: ['case'] })} />;
  return (
    <section className={classes.view} aria-label="Case">
      <Head kept={kept.data} cases={cases.data} onChoose={(next) => setChosen(String(next))} />
      <Body key={kept.data.id} kept={kept.data} />
    </section>
  );
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
  const client = useQueryClient();
  const make = useMutation({
    mutationFn: () => api.makeCase('Untitled'),
    onSuccess: async ({ id }) => {
      await client.invalidateQueries({ queryKey: ['cases'] });
      onChoose(id);
    },
  });
  const { status, owner } = kept.contents;
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
      <SegmentedControl
        size="xs"
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
        <SegmentedControl
          size="xs"
          aria-label="Part of the case"
          data={PARTS}
          value={part}
          onChange={setPart}
        />
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
      <Pins caseId={kept.id} />
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

function Hypotheses({
  contents,
  onChange,
}: {
  contents: CaseContents;
  onChange: (next: HypothesisBody[]) => void;
}) {
  const { hypotheses } = contents;
  const set = (at: number, change: Partial<HypothesisBody>): void =>
    onChange(hypotheses.map((one, index) => (index === at ? { ...one, ...change } : one)));
  return (
    <>
      <h2>Hypotheses</h2>
      {hypotheses.map((one, at) => (
        <div key={`${at} ${one.text}`} className={classes.line} data-testid="hypothesis">
          <SegmentedControl
            size="xs"
            aria-label={`Verdict on ${one.text}`}
            data={['open', 'likely', 'ruled out']}
            value={one.verdict}
            onChange={(verdict) => set(at, { verdict: verdict })}
          />
          <span className={classes.grow}>{one.text}</span>
          <TextInput
            key={one.why}
            w={200}
            aria-label={`Why, for ${one.text}`}
            placeholder="why"
            defaultValue={one.why}
            onBlur={({ currentTarget }) =>
              currentTarget.value !== one.why && set(at, { why: currentTarget.value })
            }
          />
          <button
            type="button"
            className="word"
            onClick={() => onChange(hypotheses.filter((_, index) => index !== at))}
          >
            remove
          </button>
        </div>
      ))}
      <Add
        label="What it may be"
        onAdd={(text) => onChange([...hypotheses, { text, verdict: 'open', why: '' }])}
      />
    </>
  );
}

function Timeline({
  contents,
  onChange,
}: {
  contents: CaseContents;
  onChange: (next: TimelineEntry[]) => void;
}) {
  const { timeline } = contents;
  const [stage, setStage] = useState<TimelineEntry['stage']>('peak');
  const set = (entry: TimelineEntry, change: Partial<TimelineEntry>): void =>
    onChange(timeline.map((one) => (one === entry ? { ...one, ...change, found: false } : one)));
  return (
    <>
      {STAGES.map((name) => (
        <div key={name} className={classes.stage}>
          <h2>{name}</h2>
          {timeline
            .filter((entry) => entry.stage === name)
            .sort((a, b) => (a.time < b.time ? -1 : 1))
            .map((entry) => (
              <div key={`${entry.time} ${entry.text}`} className={classes.line} data-testid="timeline-entry">
                <span className="soft">{dayTime(entry.time)}</span>
                <TextInput
                  key={entry.text}
                  className={classes.grow}
                  variant="unstyled"
                  aria-label={`What happened at ${dayTime(entry.time)}`}
                  defaultValue={entry.text}
                  onBlur={({ currentTarget }) =>
                    currentTarget.value !== entry.text && set(entry, { text: currentTarget.value })
                  }
                />
                <Select
                  size="xs"
                  w={100}
                  aria-label={`Stage of ${entry.text}`}
                  data={[...STAGES]}
                  value={entry.stage}
                  allowDeselect={false}
                  onChange={(value) => set(entry, { stage: value as TimelineEntry['stage'] })}
                />
                <button
                  type="button"
                  className="word"
                  onClick={() => onChange(timeline.filter((one) => one !== entry))}
                >
                  remove
                </button>
              </div>
            ))}
        </div>
      ))}
      <div className={classes.line}>
        <Select
          size="xs"
          w={100}
          aria-label="Stage of the new entry"
          data={[...STAGES]}
          value={stage}
          allowDeselect={false}
          onChange={(value) => setStage(value as TimelineEntry['stage'])}
        />
        <div className={classes.grow}>
          <Add
            label="What happened just now"
            onAdd={(text) =>
              onChange([...timeline, { stage, time: new Date().toISOString(), text, found: false }])
            }
          />
        </div>
      </div>
    </>
  );
}

function Remedies({
  contents,
  onChange,
}: {
  contents: CaseContents;
  onChange: (next: RemedyBody[]) => void;
}) {
  const { remedies } = contents;
  const set = (at: number, change: Partial<RemedyBody>): void =>
    onChange(remedies.map((one, index) => (index === at ? { ...one, ...change } : one)));
  return (
    <>
      {(['temporary', 'lasting'] as const).map((kind) => (
        <div key={kind}>
          <h2>{kind === 'temporary' ? 'For now' : 'For good'}</h2>
          {remedies.map((one, at) =>
            one.kind !== kind ? null : (
              <div key={`${at} ${one.text}`} className={classes.line} data-testid="remedy">
                <span className={classes.grow}>{one.text}</span>
                <TextInput
                  key={one.owner}
                  w={110}
                  aria-label={`Owner of ${one.text}`}
                  placeholder="owner"
                  defaultValue={one.owner}
                  onBlur={({ currentTarget }) =>
                    currentTarget.value !== one.owner && set(at, { owner: currentTarget.value })
                  }
                />
                <label>
                  <input
                    type="checkbox"
                    checked={one.done}
                    onChange={({ currentTarget }) => set(at, { done: currentTarget.checked })}
                  />{' '}
                  done
                </label>
                <label>
                  <input
                    type="checkbox"
                    checked={one.helped}
                    onChange={({ currentTarget }) => set(at, { helped: currentTarget.checked })}
                  />{' '}
                  helped
                </label>
                <button
                  type="button"
                  className="word"
                  onClick={() => onChange(remedies.filter((_, index) => index !== at))}
                >
                  remove
                </button>
              </div>
            ),
          )}
          <Add
            label={kind === 'temporary' ? 'What is done for now' : 'What is to be done for good'}
            onAdd={(text) => onChange([...remedies, { kind, text, owner: '', done: false, helped: false }])}
          />
        </div>
      ))}
    </>
  );
}

function Notes({ contents, onChange }: { contents: CaseContents; onChange: (next: string) => void }) {
  const [writing, setWriting] = useState(contents.notes === '');
  return writing ? (
    <>
      <Textarea
        autosize
        minRows={8}
        aria-label="Notes, in Markdown"
        placeholder="Markdown"
        defaultValue={contents.notes}
        onBlur={({ currentTarget }) => {
          if (currentTarget.value !== contents.notes) onChange(currentTarget.value);
          setWriting(currentTarget.value.trim() === '');
        }}
      />
      <p className="soft">They are kept when you leave the field.</p>
    </>
  ) : (
    <div className={classes.notes}>
      <button type="button" className="word" onClick={() => setWriting(true)}>
        write
      </button>
      <Suspense fallback={null}>
        <Markdown>{contents.notes}</Markdown>
      </Suspense>
    </div>
  );
}

/** A field for one more line of a list. */
function Add({ label, onAdd }: { label: string; onAdd: (text: string) => void }) {
  const [text, setText] = useState('');
  const add = (): void => {
    if (text.trim() === '') return;
    onAdd(text.trim());
    setText('');
  };
  return (
    <div className={classes.line}>
      <TextInput
        className={classes.grow}
        aria-label={label}
        placeholder={label}
        value={text}
        onChange={({ currentTarget }) => setText(currentTarget.value)}
        onKeyDown={({ key }) => key === 'Enter' && add()}
      />
      <button type="button" className="word" onClick={add}>
        add
      </button>
    </div>
  );
}

/** What is pinned in the case, each returning to its exact view. */
function Pins({ caseId }: { caseId: number }) {
  const pins = usePins(caseId);
  return (
    <aside className={classes.panel} aria-label="Pinned in the case" tabIndex={0}>
      <h2>Pinned</h2>
      {pins.data?.length === 0 && (
        <p className="soft">
          Nothing yet. Press <kbd>p</kbd> on a line or a pattern, or keep a signature, a chart, a change; each
          returns to its exact view.
        </p>
      )}
      {pins.data?.map((pin) => (
        <PinCard key={pin.id} pin={pin} />
      ))}
    </aside>
  );
}

function PinCard({ pin: { kind, title, address, at, note, seen } }: { pin: Pin }) {
  const said = Object.entries(seen ?? {}).filter(
    ([, value]) => typeof value === 'string' || typeof value === 'number',
  );
  return (
    <article className={classes.pin}>
      <p className="soft">
        {kind}, {dayTime(at)}
      </p>
      <Link to={address}>{title}</Link>
      {said.slice(0, 3).map(([name, value]) => (
        <p key={name} className="soft">
          {name}: {typeof value === 'number' && value <= 1 ? percent(value) : String(value)}
        </p>
      ))}
      {note !== '' && <p>{note}</p>}
    </article>
  );
}
