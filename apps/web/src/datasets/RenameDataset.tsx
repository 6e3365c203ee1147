import type { DatasetSummary } from '@flail/contract';
import { Button, Modal, TextInput } from '@mantine/core';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api } from '../api/client.js';
import classes from './datasets.module.css';

export default function RenameDataset({
  dataset,
  onClose,
}: {
  dataset: DatasetSummary;
  onClose: () => void;
}) {
  const client = useQueryClient();
  const [name, setName] = useState(dataset.name);
  const rename = useMutation({
    mutationFn: () => api.renameDataset(dataset.id, name.trim()),
    onSuccess: async () => {
      await client.invalidateQueries({ queryKey: ['datasets'] });
      onClose();
    },
  });
  return (
    <Modal opened onClose={onClose} title="Rename the data set" size="sm">
      <form
        onSubmit={(event) => {
          event.preventDefault();
          rename.mutate();
        }}
      >
        <TextInput
          label="Name"
          data-autofocus
          value={name}
          onChange={(event) => setName(event.currentTarget.value)}
          error={rename.error?.message}
        />
        <div className={classes.actions}>
          <Button type="submit" variant="filled" disabled={name.trim() === ''} loading={rename.isPending}>
            Rename
          </Button>
        </div>
      </form>
    </Modal>
  );
}
