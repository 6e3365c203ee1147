import { Modal, Progress, Select } from '@mantine/core';
import { IconFileImport } from '@tabler/icons-react';
import { useQueryClient } from '@tanstack/react-query';
import type { OpenedBundle } from '@flail/contract';
import { type ReactNode, useCallback, useMemo, useState, useSyncExternalStore } from 'react';
import { useDropzone } from 'react-dropzone';
import { useLocation, useNavigate, useSearchParams } from 'react-router';
import { carriedParameters, datasetParameters, useViewState } from '../context/view-state.js';
import { FORMATS } from '../format/formats.js';
import { byteCount, fullCount, plural } from '../format/numbers.js';
import { windowText } from '../format/times.js';
import { isBundle, type Upload, Uploads } from './uploads.js';
import classes from './intake.module.css';

const CHOICES = [{ value: 'auto', label: 'found from the first lines' }, ...FORMATS];
const FORMAT_NAMES: Record<string, string> = Object.fromEntries(
  FORMATS.map(({ value, label }) => [value, label]),
);

/** Problems by which records may be other than they should be: how the source is read can be put right. */
const MISREAD = new Set(['no-time', 'time-out-of-range', 'not-of-format']);

/** Takes files that are dropped anywhere on the window, or chosen; shows how far each has got and what was found in it. */
export function BringIn({
  opened,
  onOpen,
  onClose,
  children,
}: {
  opened: boolean;
  onOpen: () => void;
  onClose: () => void;
  children: ReactNode;
}) {
  const client = useQueryClient();
  const [format, setFormat] = useState('auto');
  const uploads = useMemo(() => new Uploads(() => void client.invalidateQueries()), [client]);
  const list = useSyncExternalStore(uploads.subscribe, uploads.snapshot);
  const take = useCallback(
    (files: File[]) => {
      if (files.length === 0) return;
      uploads.add(files, format);
      onOpen();
    },
    [uploads, format, onOpen],
  );
  const { getRootProps, getInputProps, isDragActive, open } = useDropzone({
    onDrop: take,
    noClick: true,
    noKeyboard: true,
  });

  return (
    <div {...getRootProps()} className={classes.root}>
      <input {...getInputProps()} data-testid="files" aria-label="Log files" />
      {children}
      {isDragActive && <div className={classes.drop}>Let go to bring these files in</div>}
      <Modal opened={opened} onClose={onClose} title="Bring in files" size="lg" centered={false}>
        <div className={classes.choose}>
          <button type="button" className={classes.pick} onClick={open}>
            <IconFileImport size={20} />
            <span>
              <b>Choose files</b>, or drop them anywhere on this window.
              <br />
              <span className="soft">
                JSON lines, logfmt, syslog, CSV, access logs, plain text with stack traces; as they are or as
                gzip. A bundle (zip) opens as a data set of its own.
              </span>
            </span>
          </button>
          <Select
            label="Format"
            data={CHOICES}
            value={format}
            onChange={(value) => setFormat(value ?? 'auto')}
            allowDeselect={false}
            w={210}
          />
        </div>
        <ul className={classes.list} aria-label="Files brought in">
          {list.map((upload) => (
            <UploadRow
              key={upload.id}
              upload={upload}
              onStop={() => uploads.stop(upload.id)}
              onLook={onClose}
            />
          ))}
        </ul>
      </Modal>
    </div>
  );
}

function UploadRow({ upload, onStop, onLook }: { upload: Upload; onStop: () => void; onLook: () => void }) {
  const [, change] = useViewState();
  const [current] = useSearchParams();
  const navigate = useNavigate();
  const { answer } = upload;
  const underWay = upload.state === 'sending' || upload.state === 'waiting';
  const span = answer?.window && {
    from: Date.parse(answer.window.from),
    to: Math.ceil(Date.parse(answer.window.to)) + 1,
  };
  return (
    <li className={classes.upload} data-testid="upload" data-state={upload.state}>
      <div className={classes.uploadHead}>
        <b>{upload.name}</b>
        <span className="soft">{byteCount(upload.size)}</span>
        <span className={classes.state}>{stateWords(upload)}</span>
        {underWay && (
          <button type="button" className="word" onClick={onStop}>
            stop
          </button>
        )}
      </div>
      {(underWay || upload.state === 'storing') && (
        <Progress
          size="xs"
          value={upload.size === 0 ? 100 : (100 * upload.sent) / upload.size}
          animated={upload.state === 'storing'}
          aria-label={`Progress of ${upload.name}`}
        />
      )}
      {upload.error !== undefined && <p className={classes.failed}>{upload.error}</p>}
      {answer && answer.accepted > 0 && (
        <p className={classes.answer}>
          {answer.repeated && 'This file was stored before; nothing was added. '}
          {plural(answer.accepted, 'record')}, read as {FORMAT_NAMES[answer.format] ?? answer.format}
          {answer.malformed > 0 &&
            `, ${fullCount(answer.malformed)} of them not in that format and kept as text`}
          {span && `, from ${windowText(span.from, span.to)}`}.{' '}
          {span && (
            <button
              type="button"
              className="word"
              onClick={() => {
                change({ focus: span, band: null, scope: '' });
                onLook();
              }}
            >
              look at this time
            </button>
          )}
        </p>
      )}
      {upload.opened && <Opened bundle={upload.opened} onLook={onLook} />}
      {answer?.problems.map((problem) => (
        <div key={problem.code} className={classes.problem} data-misread={MISREAD.has(problem.code)}>
          {problem.message}
          {problem.firstLine > 0 &&
            ` ${plural(problem.count, 'line')}, the first is line ${fullCount(problem.firstLine)}.`}
          {MISREAD.has(problem.code) && (
            <>
              {' '}
              <button
                type="button"
                className="word"
                onClick={() => {
                  const parameters = carriedParameters(current);
                  parameters.set('source', `logs/${upload.name}`);
                  void navigate(`/sources?${parameters.toString()}`);
                  onLook();
                }}
              >
                put it right
              </button>
            </>
          )}
          {problem.sample !== undefined && problem.sample !== '' && (
            <pre className={classes.sample}>{problem.sample}</pre>
          )}
        </div>
      ))}
    </li>
  );
}

/** What was found in a bundle, and the way to it. */
function Opened({ bundle, onLook }: { bundle: OpenedBundle; onLook: () => void }) {
  const navigate = useNavigate();
  const client = useQueryClient();
  const { pathname } = useLocation();
  const sum = (kinds: readonly string[]): number =>
    bundle.files.reduce((all, { kind, accepted }) => all + (kinds.includes(kind) ? accepted : 0), 0);
  const found = HELD.flatMap(([kinds, one]) => (sum(kinds) > 0 ? [plural(sum(kinds), one)] : []));
  return (
    <>
      <p className={classes.answer}>
        Opened as “{bundle.name}”: {found.join(', ')}.{' '}
        <button
          type="button"
          className="word"
          onClick={() => {
            void navigate(`${pathname}?${datasetParameters(bundle.dataset, bundle.view)}`);
            onLook();
          }}
        >
          look at it
        </button>
        {bundle.case && (
          <button
            type="button"
            className="word"
            onClick={() => {
              void client.invalidateQueries({ queryKey: ['cases'] });
              const parameters = new URLSearchParams(datasetParameters(bundle.dataset, bundle.view));
              parameters.set('case', String(bundle.case!.id));
              void navigate(`/case?${parameters.toString()}`);
              onLook();
            }}
          >
            look at its case
          </button>
        )}
      </p>
      {bundle.files.flatMap(({ file, problems }) =>
        problems.map((problem) => (
          <div key={`${file} ${problem}`} className={classes.problem}>
            {file}: {problem}
          </div>
        )),
      )}
    </>
  );
}

/** What a bundle may hold, and what one of it is called. */
const HELD: [kinds: string[], one: string][] = [
  [['logs', 'lines', 'otlp logs'], 'record'],
  [['spans', 'otlp traces'], 'span'],
  [['series', 'otlp metrics', 'openmetrics'], 'measurement'],
  [['changes'], 'change'],
  [['runs'], 'run event'],
  [['rules'], 'rule'],
];

function stateWords({ state, sent, size, answer, name }: Upload): string {
  if (answer?.accepted === 0) return 'empty';
  switch (state) {
    case 'waiting':
      return 'waits for its turn';
    case 'sending':
      return `${byteCount(sent)} of ${byteCount(size)} sent`;
    case 'storing':
      return isBundle({ name }) ? 'sent, being opened' : 'sent, being read and stored';
    case 'done':
      return isBundle({ name }) ? 'opened' : 'stored';
    case 'failed':
      return 'not stored';
    case 'stopped':
      return isBundle({ name })
        ? 'stopped; nothing of it is kept'
        : 'stopped; the lines stored so far are kept';
  }
}
