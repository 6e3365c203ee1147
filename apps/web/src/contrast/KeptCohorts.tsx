import { Menu, TextInput } from '@mantine/core';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { useSearchParams } from 'react-router';
import { api } from '../api/client.js';
import { cohortParameters, withCohorts } from './cohort-parameters.js';
import classes from './contrast.module.css';

/** Pairs of cohorts that are kept under a name, own and shared. */
export function KeptCohorts() {
  const [parameters, setParameters] = useSearchParams();
  const [opened, setOpened] = useState(false);
  const [name, setName] = useState('');
  const [shared, setShared] = useState(false);
  const client = useQueryClient();
  const kept = useQuery({
    queryKey: ['cohorts'],
    queryFn: ({ signal }) => api.cohorts(signal),
    enabled: opened,
  });
  const refresh = (): Promise<void> => client.invalidateQueries({ queryKey: ['cohorts'] });
  const keep = useMutation({
    mutationFn: () =>
      api.keepCohorts({ name: name.trim(), parameters: cohortParameters(parameters), shared }),
    onSuccess: async () => {
      setName('');
      await refresh();
    },
  });
  const forget = useMutation({ mutationFn: (id: number) => api.forgetCohorts(id), onSuccess: refresh });
  return (
    <Menu
      opened={opened}
      onChange={setOpened}
      position="bottom-end"
      withinPortal
      width={320}
      closeOnItemClick={false}
    >
      <Menu.Target>
        <button type="button" className="word">
          kept cohorts
        </button>
      </Menu.Target>
      <Menu.Dropdown>
        <form
          className={classes.keep}
          onSubmit={(event) => {
            event.preventDefault();
            if (name.trim() !== '') keep.mutate();
          }}
        >
          <TextInput
            size="xs"
            placeholder="keep these two under a name"
            aria-label="Name for these cohorts"
            value={name}
            maxLength={200}
            error={keep.error?.message}
            onChange={(event) => setName(event.currentTarget.value)}
          />
          <label>
            <input
              type="checkbox"
              checked={shared}
              onChange={(event) => setShared(event.currentTarget.checked)}
            />{' '}
            for all
          </label>
        </form>
        {kept.data?.length === 0 && <Menu.Label>None is kept yet.</Menu.Label>}
        {kept.data?.map(({ id, name: own, parameters: chosen, shared: forAll }) => (
          <div key={id} className={classes.kept} role="none">
            <Menu.Item
              onClick={() => {
                setParameters((before) => withCohorts(before, chosen));
                setOpened(false);
              }}
            >
              {own} {forAll && <span className="soft">for all</span>}
            </Menu.Item>
            <Menu.Item aria-label={`Let go of ${own}`} onClick={() => forget.mutate(id)}>
              let go
            </Menu.Item>
          </div>
        ))}
      </Menu.Dropdown>
    </Menu>
  );
}
