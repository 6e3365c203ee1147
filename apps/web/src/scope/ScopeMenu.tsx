import { checkExpression } from '@flail/core/expression';
import { Menu } from '@mantine/core';
import { IconBookmark } from '@tabler/icons-react';
import { useState } from 'react';
import { api } from '../api/client.js';
import { useExpressions, useSources } from '../api/queries.js';
import { useViewState } from '../context/view-state.js';
import { KeepForm } from '../kept/KeepForm.js';
import { KeptItem } from '../kept/KeptItem.js';
import { scopeHistory } from './history.js';
import { startersFor } from './starters.js';
import classes from './scope.module.css';

const LIST = 'expressions';

/** Expressions to take: those kept, the last ones used, and questions to begin with. */
export function ScopeMenu({ onTake, onHelp }: { onTake: (scope: string) => void; onHelp: () => void }) {
  const [state] = useViewState();
  const [opened, setOpened] = useState(false);
  const kept = useExpressions(opened);
  const sources = useSources(state.dataset, opened);
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
          <KeepForm
            what="this scope"
            label="Name for this scope"
            list={LIST}
            onKeep={(as) => api.keepExpression({ ...as, expression: state.scope })}
          />
        )}
        {usable.length > 0 && <Menu.Label>Kept</Menu.Label>}
        {usable.map(({ id, name, expression, shared }) => (
          <KeptItem
            key={id}
            name={name}
            shared={shared}
            list={LIST}
            onTake={() => take(expression)}
            onForget={() => api.forgetExpression(id)}
          >
            <code className={classes.expression}>{expression}</code>
          </KeptItem>
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
