import type { DatasetSummary } from '@flail/contract';
import { Button, Modal, Radio, TextInput } from '@mantine/core';
import dayjs from 'dayjs';
import { useState } from 'react';
import { useSearchParams } from 'react-router';
import { api } from '../api/client.js';
import { windowBody } from '../api/queries.js';
import { carriedParameters, type Span, useViewState } from '../context/view-state.js';
import { plural } from '../format/numbers.js';
import { windowText } from '../format/times.js';
import classes from './datasets.module.css';

/** Saves a data set, or the part of it that is looked at, as one file. */
export default function SaveBundle({ dataset, onClose }: { dataset: DatasetSummary; onClose: () => void }) {
  const [{ focus, baseline }] = useViewState();
  const [parameters] = useSearchParams();
  const both = focus && reach(focus, baseline);
  const [what, setWhat] = useState(both ? 'both' : 'all');
  const [name, setName] = useState(
    both
      ? `${dataset.name}, ${dayjs(both.from).format('YYYY-MM-DD HH:mm')} to ${dayjs(both.to).format('HH:mm')}`
      : dataset.name,
  );
  const carried = carriedParameters(parameters);
  carried.delete('data');
  const view = carried.toString();
  const window = what === 'both' && both ? windowBody(both) : undefined;
  const usable = name.trim() !== '' && name.length <= 200;
  return (
    <Modal opened onClose={onClose} title="Save as a bundle" size="md">
      <p className="soft">
        One zip archive with every record as it was received, and the spans, series, changes, runs and
        corrections of patterns of that time. It opens in any Flail, beside what is live there.
      </p>
      <TextInput
        label="Name"
        value={name}
        onChange={(event) => setName(event.currentTarget.value)}
        error={usable ? undefined : 'A name has 1 to 200 characters.'}
      />
      <Radio.Group value={what} onChange={setWhat} label="What" mt="sm">
        <Radio
          value="both"
          disabled={!both}
          label={
            both
              ? `The focus and its baseline, with all between: ${windowText(both.from, both.to)}`
              : 'The focus and its baseline (no focus is set)'
          }
        />
        <Radio value="all" label={`All that is held: ${plural(dataset.records, 'record')}`} />
      </Radio.Group>
      <div className={classes.actions}>
        <Button
          component="a"
          href={api.bundleAddress(dataset.id, { name: name.trim(), ...(window && { ...window, view }) })}
          download
          variant="filled"
          data-testid="save-bundle"
          data-disabled={!usable || undefined}
          onClick={(event: React.MouseEvent) => (usable ? onClose() : event.preventDefault())}
        >
          Save
        </Button>
      </div>
    </Modal>
  );
}

/** From the first to the last moment of two windows. */
const reach = (a: Span, b: Span | undefined): Span =>
  b ? { from: Math.min(a.from, b.from), to: Math.max(a.to, b.to) } : a;
