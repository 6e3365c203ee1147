import { Button, Modal } from '@mantine/core';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api } from '../api/client.js';

/** Asks the change control to take a change back, after a confirmation that says what that does. */
export function Revert({ id, title }: { id: string; title: string }) {
  const [asking, setAsking] = useState(false);
  const client = useQueryClient();
  const revert = useMutation({
    mutationFn: () => api.revertChange(id),
    onSuccess: () => client.invalidateQueries({ queryKey: ['changes'] }),
    onSettled: () => setAsking(false),
  });
  return (
    <div>
      <Button onClick={() => setAsking(true)} disabled={revert.isSuccess}>
        take it back
      </Button>
      {revert.isSuccess && (
        <p role="status">The change control takes it back; what follows from it shows in a minute or two.</p>
      )}
      {revert.isError && <p role="alert">{revert.error.message}</p>}
      <Modal opened={asking} onClose={() => setAsking(false)} title="Take the change back">
        <p>
          The change control is asked to undo “{title}”. This acts on the running system, not on what is kept
          here.
        </p>
        <Button onClick={() => revert.mutate()} loading={revert.isPending} color="red" variant="filled">
          take it back
        </Button>{' '}
        <Button onClick={() => setAsking(false)}>leave it</Button>
      </Modal>
    </div>
  );
}
