import { Menu } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useSearchParams } from 'react-router';
import { api } from '../api/client.js';
import { KeepForm } from '../kept/KeepForm.js';
import { KeptItem } from '../kept/KeptItem.js';
import { cohortParameters, withCohorts } from './cohort-parameters.js';

const LIST = 'cohorts';

/** Pairs of cohorts that are kept under a name, own and shared. */
export function KeptCohorts() {
  const [parameters, setParameters] = useSearchParams();
  const [opened, setOpened] = useState(false);
  const kept = useQuery({
    queryKey: [LIST],
    queryFn: ({ signal }) => api.cohorts(signal),
    enabled: opened,
  });
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
        <KeepForm
          what="these two"
          label="Name for these cohorts"
          list={LIST}
          onKeep={(as) => api.keepCohorts({ ...as, parameters: cohortParameters(parameters) })}
        />
        {kept.data?.length === 0 && <Menu.Label>None is kept yet.</Menu.Label>}
        {kept.data?.map(({ id, name, parameters: chosen, shared }) => (
          <KeptItem
            key={id}
            name={name}
            shared={shared}
            list={LIST}
            onTake={() => {
              setParameters((before) => withCohorts(before, chosen));
              setOpened(false);
            }}
            onForget={() => api.forgetCohorts(id)}
          />
        ))}
      </Menu.Dropdown>
    </Menu>
  );
}
