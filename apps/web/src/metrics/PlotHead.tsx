import type { AggregateName, PlotAnswer, SeriesSource } from '@flail/contract';
import { Menu, NativeSelect } from '@mantine/core';
import { IconDots } from '@tabler/icons-react';
import { memo } from 'react';
import { AGGREGATES, LINE_KINDS, type LineKind, type PlotSpec, sourceAbout } from './plots.js';
import classes from './metrics.module.css';

const LABELS = ['instance', 'host', 'site', 'service'];

export interface PlotActions {
  pin: () => void;
  savePng: () => void;
  saveSvg: () => void;
  saveCsv: () => void;
  remove: () => void;
}

interface Props {
  spec: PlotSpec;
  name: string;
  /** Of the first source. */
  answer: PlotAnswer | undefined;
  selected: boolean;
  onSelect: () => void;
  onChange: (spec: PlotSpec) => void;
  actions: PlotActions;
}

/** What is drawn in a plot, how, and what can be done with it. */
export const PlotHead = memo(function PlotHead({
  spec,
  name,
  answer,
  selected,
  onSelect,
  onChange,
  actions,
}: Props) {
  const source = spec.sources[0]!;
  const setSource = (next: SeriesSource): void =>
    onChange({ ...spec, sources: [next, ...spec.sources.slice(1)] });
  return (
    <header className={classes.plotHead}>
      <h2>
        <button type="button" className={classes.name} aria-pressed={selected} onClick={onSelect}>
          {name === '' ? '…' : name}
        </button>{' '}
        <span className="soft">{spec.sources.map(sourceAbout).filter(Boolean).join('; ')}</span>
      </h2>
      {source.of === 'metric' && answer?.aggregate !== undefined && (
        <>
          <NativeSelect
            size="xs"
            aria-label={`How ${name} is put together`}
            data={AGGREGATES}
            value={answer.aggregate}
            onChange={({ currentTarget: { value } }) =>
              setSource({ ...source, aggregate: value as AggregateName })
            }
          />
          <NativeSelect
            size="xs"
            aria-label={`A line for each, of ${name}`}
            data={[
              { value: '', label: 'one line' },
              ...LABELS.map((label) => ({ value: label, label: `by ${label}` })),
            ]}
            value={source.by?.[0] ?? ''}
            onChange={({ currentTarget: { value } }) => setSource({ ...source, by: value ? [value] : [] })}
          />
        </>
      )}
      <NativeSelect
        size="xs"
        aria-label={`How ${name} is drawn`}
        data={LINE_KINDS}
        value={spec.kind}
        onChange={({ currentTarget: { value } }) => onChange({ ...spec, kind: value as LineKind })}
      />
      {(['day', 'week'] as const).map((ghost) => (
        <button
          key={ghost}
          type="button"
          className="word"
          aria-pressed={spec.ghosts.includes(ghost)}
          data-on={spec.ghosts.includes(ghost)}
          onClick={() =>
            onChange({
              ...spec,
              ghosts: spec.ghosts.includes(ghost)
                ? spec.ghosts.filter((one) => one !== ghost)
                : [...spec.ghosts, ghost],
            })
          }
        >
          a {ghost} ago
        </button>
      ))}
      <Menu position="bottom-end" withinPortal>
        <Menu.Target>
          <button type="button" className={classes.more} aria-label={`More of ${name}`}>
            <IconDots size={16} />
          </button>
        </Menu.Target>
        <Menu.Dropdown>
          <Menu.Item onClick={actions.pin}>pin it, with this view</Menu.Item>
          <Menu.Item onClick={actions.savePng}>as PNG</Menu.Item>
          <Menu.Item onClick={actions.saveSvg}>as SVG</Menu.Item>
          <Menu.Item onClick={actions.saveCsv}>its numbers as CSV</Menu.Item>
          {spec.sources.length > 1 && (
            <Menu.Item onClick={() => onChange({ ...spec, sources: spec.sources.slice(0, -1) })}>
              take the last line out
            </Menu.Item>
          )}
          <Menu.Item onClick={actions.remove}>remove this plot</Menu.Item>
        </Menu.Dropdown>
      </Menu>
    </header>
  );
});
