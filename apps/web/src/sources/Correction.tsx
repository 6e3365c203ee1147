import type { ColumnsBody, SourceSummary, FormatPreview } from '@flail/contract';
import { Autocomplete, Button, Select } from '@mantine/core';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api } from '../api/client.js';
import { useFormatPreview } from '../api/queries.js';
import { useViewState } from '../context/view-state.js';
import { FORMATS } from '../format/formats.js';
import { plural } from '../format/numbers.js';
import { clockTime } from '../format/times.js';
import { LevelLetter } from '../paired/LevelLetter.js';
import { Failure } from '../states/States.js';
import classes from './sources.module.css';

/** Fields that a column may stand for; any other name will do as well. */
const FIELDS = ['time', 'level', 'text', 'service', 'instance', 'host', 'site', 'trace', 'run', 'duration'];

/** Another format, shown on the newest lines before it is saved. */
export function Correction({ source }: { source: SourceSummary }) {
  const client = useQueryClient();
  const [{ dataset }] = useViewState();
  const [format, setFormat] = useState(source.format);
  const [columns, setColumns] = useState<ColumnsBody>();
  const [heads, setHeads] = useState<Heads>();
  const body = {
    format,
    ...(format === 'csv' && columns && { columns }),
    ...(format === 'plain' && heads && { heads }),
  };
  const preview = useFormatPreview(dataset, source.name, body);
  const save = useMutation({
    mutationFn: (wanted: Parameters<typeof api.correctFormat>[2]) =>
      api.correctFormat(dataset, source.name, wanted),
    onSuccess: async () => {
      setColumns(undefined);
      setHeads(undefined);
      await client.invalidateQueries({ queryKey: ['sources'] });
      await client.invalidateQueries({ queryKey: ['format'] });
    },
  });
  return (
    <div className={classes.correction}>
      <h3>How it is read</h3>
      <div className={classes.line}>
        <Select
          size="xs"
          aria-label="Format"
          data={FORMATS}
          value={format}
          onChange={(value) => value !== null && setFormat(value)}
          allowDeselect={false}
        />
        {(format !== source.format || columns || heads) && (
          <Button size="xs" variant="outline" onClick={() => save.mutate(body)}>
            read it so from now on
          </Button>
        )}
        {source.corrected && (
          <button type="button" className="word" onClick={() => save.mutate({ format: 'auto' })}>
            find the format from its lines again
          </button>
        )}
      </div>
      {save.error && <Failure error={save.error} onRetry={() => save.mutate(body)} />}
      {format === 'csv' && preview.data?.columns && (
        <Columns columns={preview.data.columns} onChange={setColumns} />
      )}
      {format === 'plain' && preview.data?.heads && (
        <HeadColumns heads={preview.data.heads} onChange={setHeads} />
      )}
      {preview.isError && <Failure error={preview.error} onRetry={() => void preview.refetch()} />}
      {preview.data && (
        <>
          <p className={classes.read}>
            {preview.data.read} of its newest {plural(preview.data.lines.length, 'line')} can be read as{' '}
            {FORMATS.find(({ value }) => value === format)?.label}:
          </p>
          <table className={classes.preview}>
            <tbody>
              {preview.data.lines.slice(0, 6).map((line, index) => (
                <tr key={index} data-read={line.read} title={line.line}>
                  <td>{line.read ? '' : 'not so'}</td>
                  <td>{line.time === undefined ? 'no time' : clockTime(line.time)}</td>
                  <td>
                    <LevelLetter level={line.level} />
                  </td>
                  <td className={classes.text}>{line.text}</td>
                  <td className={classes.text}>{Object.keys(line.fields).join(', ')}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </>
      )}
    </div>
  );
}

type Heads = NonNullable<FormatPreview['heads']>;

/** What lines open with, and where their text begins, which may be said to be earlier. */
function HeadColumns({ heads, onChange }: { heads: Heads; onChange: (heads: Heads) => void }) {
  return (
    <ul className={classes.heads} aria-label="What its lines open with">
      {heads.map((head, at) => (
        <li key={at}>
          Lines open with{' '}
          {head.map((kind, column) => (
            <button
              key={column}
              type="button"
              className="word"
              title="The text begins here already"
              onClick={() => onChange(shortened(heads, at, column))}
            >
              {kind}
            </button>
          ))}
          , then the text.
        </li>
      ))}
    </ul>
  );
}

/** The heads with one that ends before a column; without it where nothing is left that tells a time or a level. */
function shortened(heads: Heads, at: number, column: number): Heads {
  const short = heads[at]!.slice(0, column);
  const tells = short.includes('time') || short.includes('level');
  return tells ? heads.with(at, short) : heads.filter((_, index) => index !== at);
}

/** What each column of CSV stands for. */
function Columns({ columns, onChange }: { columns: ColumnsBody; onChange: (columns: ColumnsBody) => void }) {
  return (
    <ul className={classes.columns} aria-label="Columns">
      {columns.names.map((name) => (
        <li key={name}>
          <code>{name}</code> is
          <Autocomplete
            size="xs"
            w={130}
            aria-label={`What the column ${name} is`}
            data={FIELDS}
            placeholder={name}
            value={columns.as?.[name] ?? ''}
            onChange={(field) => {
              const as = Object.entries({ ...columns.as, [name]: field.trim() });
              onChange({ ...columns, as: Object.fromEntries(as.filter(([, own]) => own !== '')) });
            }}
          />
        </li>
      ))}
    </ul>
  );
}
