import type { ObjectiveBody, ObjectiveState, ReadBody } from '@flail/contract';
import { Button, Modal, NumberInput, Select, TextInput } from '@mantine/core';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api } from '../api/client.js';
import { useViewState } from '../context/view-state.js';
import { percent } from '../format/numbers.js';
import { useRequests } from '../requests/queries.js';
import classes from './health.module.css';

interface Props {
  objective: ObjectiveState['objective'] | undefined;
  body: ReadBody;
  onClose: () => void;
}

/** The form in which an objective is set, changed and dropped. */
export default function EditObjective({ objective, body, onClose }: Props) {
  const [{ dataset }] = useViewState();
  const client = useQueryClient();
  const operations = useRequests({ ...body, limit: 0 }).data?.operations ?? [];
  const [name, setName] = useState(objective?.name ?? '');
  const [of, setOf] = useState(
    objective?.service === undefined ? '' : `${objective.service}~${objective.operation ?? ''}`,
  );
  const [target, setTarget] = useState<number | string>((objective?.target ?? 0.99) * 100);
  const [days, setDays] = useState<number | string>(objective?.days ?? 30);
  const done = (): void => {
    void client.invalidateQueries({ queryKey: ['health'] });
    onClose();
  };
  const set = useMutation({
    mutationFn: (body: ObjectiveBody) => api.setObjective(dataset, body, objective?.id),
    onSuccess: done,
  });
  const drop = useMutation({ mutationFn: (id: number) => api.dropObjective(dataset, id), onSuccess: done });
  const failure = set.error ?? drop.error;
  return (
    <Modal opened onClose={onClose} title={objective ? 'Change the objective' : 'Add an objective'}>
      <form
        className={classes.edit}
        onSubmit={(event) => {
          event.preventDefault();
          const [service = '', operation = ''] = of.split('~');
          set.mutate({
            name: name.trim(),
            ...(service !== '' && { service }),
            ...(operation !== '' && { operation }),
            target: Number(target) / 100,
            days: Number(days),
          });
        }}
      >
        <TextInput
          label="Name"
          required
          value={name}
          onChange={(event) => setName(event.currentTarget.value)}
        />
        <Select
          label="Of"
          data={[
            { value: '', label: 'all requests' },
            ...operations.map(({ service, operation }) => ({
              value: `${service}~${operation}`,
              label: `${operation} (${service})`,
            })),
          ]}
          value={of}
          allowDeselect={false}
          onChange={(value) => setOf(value ?? '')}
        />
        <NumberInput
          label="Per cent that are to go well"
          min={50}
          max={99.999}
          decimalScale={3}
          value={target}
          onChange={setTarget}
        />
        <NumberInput label="Over so many days" min={1} max={366} value={days} onChange={setDays} />
        {failure && <p role="alert">{failure.message}</p>}
        <div className={classes.buttons}>
          <Button type="submit" size="xs" loading={set.isPending}>
            Keep it: {percent(Math.max(0, 1 - Number(target) / 100))} may fail
          </Button>
          {objective !== undefined && objective.id > 0 && (
            <Button size="xs" variant="default" onClick={() => drop.mutate(objective.id)}>
              Drop it
            </Button>
          )}
        </div>
      </form>
    </Modal>
  );
}
