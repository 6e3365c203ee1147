import { useEffect } from 'react';

/** What is chosen by a click takes no letters; only the space bar is its own. */
const CHOSEN = /^(radio|checkbox)$/;

/** True while the person types somewhere, so that a key is text and no command. */
function isTyping({ target, key }: KeyboardEvent): boolean {
  if (target instanceof HTMLInputElement && CHOSEN.test(target.type)) return key === ' ';
  return (
    target instanceof HTMLElement &&
    (target.isContentEditable || /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName))
  );
}

/** Runs a command for each of some keys, unless the person types or a dialog is open. */
export function useKeys(commands: Record<string, (event: KeyboardEvent) => void>): void {
  useEffect(() => {
    const press = (event: KeyboardEvent): void => {
      if (isTyping(event) || event.ctrlKey || event.metaKey || event.defaultPrevented) return;
      if (document.querySelector('[role="dialog"]')) return;
      const name = event.altKey ? `Alt+${event.key}` : event.key;
      const command = commands[name];
      if (!command) return;
      event.preventDefault();
      command(event);
    };
    window.addEventListener('keydown', press);
    return () => window.removeEventListener('keydown', press);
  });
}

/** `j` and `k` go through the rows of a list; other keys act on the row they stand on. */
export function useRowKeys(
  count: number,
  selected: number,
  select: (index: number) => void,
  actions: Record<string, (index: number) => void>,
): void {
  const move = (step: number): void => {
    if (count > 0) select(Math.min(count - 1, Math.max(0, selected + step)));
  };
  const onRow = Object.fromEntries(
    Object.entries(actions).map(([key, act]) => [
      key,
      () => {
        if (selected >= 0 && selected < count) act(selected);
      },
    ]),
  );
  useKeys({ j: () => move(1), k: () => move(-1), ...onRow });
}
