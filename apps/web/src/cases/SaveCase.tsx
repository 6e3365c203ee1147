import type { CaseAnswer } from '@flail/contract';
import { Button, Modal, MultiSelect } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api } from '../api/client.js';
import { windowText } from '../format/times.js';
import classes from './cases.module.css';

/** Fields that every record has, and without which nothing could be told. */
const NEEDED = new Set(['time', 'level', 'text', 'trace', 'span', 'parent', 'kind', 'duration', 'status']);

/** Saves a case with the data that it is about, and what is chosen made unrecognisable in it. */
export default function SaveCase({ kept, onClose }: { kept: CaseAnswer; onClose: () => void }) {
  const { id, contents } = kept;
  const [redact, setRedact] = useState<string[]>([]);
  const { window } = contents;
  const fields = useQuery({
    queryKey: ['fields of a case', id],
    queryFn: ({ signal }) =>
      api.complete({ dataset: contents.dataset, prefix: '', limit: '500', ...window }, signal),
    enabled: window !== undefined,
  });
  const choices = (fields.data?.fields ?? []).filter((field) => !NEEDED.has(field));
  return (
    <Modal opened onClose={onClose} title="Save with its data" size="md">
      {window ? (
        <>
          <p className="soft">
            One zip archive with the findings, notes and pins, the report, and every record of{' '}
            {windowText(Date.parse(window.from), Date.parse(window.to))} and of its baseline. It opens in any
            Flail, and shows the same there.
          </p>
          <MultiSelect
            label="Fields to redact"
            description="Each value is replaced wherever it stands, also in texts, notes and addresses: the same always by the same, so that what belongs together can still be told. Values of one or two characters stay."
            placeholder={redact.length === 0 ? 'none' : undefined}
            data={choices}
            value={redact}
            onChange={setRedact}
            searchable
            hidePickedOptions
            error={fields.error?.message}
          />
          <div className={classes.actions}>
            <Button
              component="a"
              href={api.caseBundleAddress(id, redact)}
              download
              variant="filled"
              data-testid="save-case"
              onClick={onClose}
            >
              Save
            </Button>
          </div>
        </>
      ) : (
        <p>It is about no time yet. Make it about a focus, or investigate one, and there is data to save.</p>
      )}
    </Modal>
  );
}
