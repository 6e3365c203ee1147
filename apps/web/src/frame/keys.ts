import { useEffect } from 'react';

/** True while the person types somewhere, so that letters are text and no commands. */
export function isTyping(target: EventTarget | null): boolean {
  return (
    target instanceof HTMLElement &&
    (target.isContentEditable || /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName))
  );
}

/** Runs a command for each of some keys, unless the person types or a dialog is open. */
export function useKeys(commands: Record<string, (event: KeyboardEvent) => void>): void {
  useEffect(() => {
    const press = (event: KeyboardEvent): void => {
      if (isTyping(event.target) || event.ctrlKey || event.metaKey || event.defaultPrevented) return;
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
