import type { DatasetSummary } from '@flail/contract';
import { Button, Modal } from '@mantine/core';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { api } from '../api/client.js';
import { plural } from '../format/numbers.js';
import classes from './datasets.module.css';

/** Asks before a data set is let go of, and says what will be lost. */
export default function ForgetDataset({
  dataset,
  onClose,
  onForgotten,
}: {
  dataset: DatasetSummary;
  onClose: () => void;
  onForgotten: () => void;
}) {
  const client = useQueryClient();
  const forget = useMutation({
    mutationFn: () => api.forgetDataset(dataset.id),
    onSuccess: async () => {
      onForgotten();
      await client.invalidateQueries({ queryKey: ['datasets'] });
    },
  });
  return (
    <Modal opened onClose={onClose} title={`Let go of “${dataset.name}”?`} size="sm">
      <p>
        {plural(dataset.records, 'record')}, with the spans, series, changes and runs beside them, and what
        was corrected here, will be gone from this store. The bundle that it was opened from stays where it
        is.
      </p>
      {forget.error && <p className={classes.failed}>{forget.error.message}</p>}
      <div className={classes.actions}>
        <Button onClick={onClose}>Keep it</Button>
        <Button color="red" variant="filled" loading={forget.isPending} onClick={() => forget.mutate()}>
          Let go of it
        </Button>
      </div>
    </Modal>
  );
}
