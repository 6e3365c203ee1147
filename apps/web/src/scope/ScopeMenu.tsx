import { checkExpression } from '@flail/core/expression';
import { Menu, TextInput } from '@mantine/core';
import { IconBookmark } from '@tabler/icons-react';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api } from '../api/client.js';
import { useExpressions, useSources } from '../api/queries.js';
import { useViewState } from '../context/view-state.js';
import { scopeHistory } from './history.js';
import { startersFor } from './starters.js';
import classes from './scope.module.css';

/** Expressions to take: those kept, the last ones used, and questions to begin with. */
export function ScopeMenu({ onTake, onHelp }: { onTake: (scope: string) => void; onHelp: () => void }) {
  const [state] = useViewState();
  const [opened, setOpened] = useState(false);
  const kept = useExpressions(opened);
  const sources = useSources(state.dataset, opened);
  const client = useQueryClient();
  const [name, setName] = useState('');
  const [shared, setShared] = useState(false);
  const refresh = (): Promise<void> => client.invalidateQueries({ queryKey: ['expressions'] });
  const keep = useMutation({
    mutationFn: () => api.keepExpression({ name: name.trim(), expression: state.scope, shared }),
    onSuccess: async () => {
      setName('');
      await refresh();
    },
  });
  const forget = useMutation({ mutationFn: (id: number) => api.forgetExpression(id), onSuccess: refresh });
  // Steps belong to summaries; here only filters can be taken.
  const usable = kept.data?.filter(({ expression }) => !checkExpression(expression)) ?? [];
  const history = opened ? scopeHistory().filter((scope) => scope !== state.scope) : [];
  const take = (scope: string): void => {
    onTake(scope);
    setOpened(false);
  };
  return (
    <Menu
      opened={opened}
      onChange={setOpened}
      position="bottom-end"
      withinPortal
      width={420}
      closeOnItemClick={false}
    >
      <Menu.Target>
        <button
          type="button"
          className={classes.menu}
          aria-label="Kept and earlier scopes"
          title="Kept and earlier scopes"
        >
          <IconBookmark size={15} />
        </button>
      </Menu.Target>
      <Menu.Dropdown className={classes.dropdown}>
        {state.scope !== '' && (
          <form
            className={classes.keep}
            onSubmit={(event) => {
              event.preventDefault();
              if (name.trim() !== '') keep.mutate();
            }}
          >
            <TextInput
              size="xs"
              placeholder="keep this scope under a name"
              aria-label="Name for this scope"
              value={name}
              error={keep.error?.message}
              onChange={(event) => setName(event.currentTarget.value)}
            />
            <label className={classes.shared}>
              <input
                type="checkbox"
                checked={shared}
                onChange={(event) => setShared(event.currentTarget.checked)}
              />{' '}
              for all
            </label>
          </form>
        )}
        {usable.length > 0 && <Menu.Label>Kept</Menu.Label>}
        {usable.map(({ id, name: own, expression, shared: forAll }) => (
          <div key={id} className={classes.kept} role="none">
            <Menu.Item onClick={() => take(expression)}>
              <b>{own}</b> {forAll && <span className="soft">for all</span>}
              <code className={classes.expression}>{expression}</code>
            </Menu.Item>
            <Menu.Item
              className={classes.letGo}
              closeMenuOnClick={false}
              aria-label={`Let go of ${own}`}
              onClick={() => forget.mutate(id)}
            >
              let go
            </Menu.Item>
          </div>
        ))}
        <Menu.Label>To begin with</Menu.Label>
        {startersFor(sources.data ?? []).map(({ question, scope }) => (
          <Menu.Item key={scope} onClick={() => take(scope)}>
            {question}
            <code className={classes.expression}>{scope}</code>
          </Menu.Item>
        ))}
        {history.length > 0 && <Menu.Label>Used before</Menu.Label>}
        {history.map((scope) => (
          <Menu.Item key={scope} onClick={() => take(scope)}>
            <code>{scope}</code>
          </Menu.Item>
        ))}
        <Menu.Divider />
        <Menu.Item
          onClick={() => {
            setOpened(false);
            onHelp();
          }}
        >
          how to write an expression
        </Menu.Item>
      </Menu.Dropdown>
    </Menu>
  );
}
