import { quoteValue } from '@flail/core/expression';
import { type RefObject, useEffect, useState } from 'react';
import classes from './logs.module.css';

/** What a person selected, and where it stands on the screen. */
interface Selected {
  text: string;
  left: number;
  top: number;
}

interface Props {
  /** Where selecting offers something. */
  within: RefObject<HTMLElement | null>;
  onOnly: (term: string) => void;
  onWithout: (term: string) => void;
  onHighlight: (text: string) => void;
  onCount: (term: string) => void;
  onRegularity: (term: string) => void;
}

const LONGEST = 400;

function selectedIn(host: HTMLElement | null): Selected | undefined {
  const selection = document.getSelection();
  if (!host || !selection || selection.rangeCount === 0 || selection.isCollapsed) return undefined;
  const text = selection.toString().trim();
  const start = selection.anchorNode?.parentElement;
  const end = selection.focusNode?.parentElement;
  const inText = (element: Element | null | undefined): boolean =>
    element !== null &&
    element !== undefined &&
    host.contains(element) &&
    element.closest('[data-selectable]') !== null;
  if (text === '' || text.length > LONGEST || text.includes('\n') || !inText(start) || !inText(end))
    return undefined;
  const { left, bottom } = selection.getRangeAt(0).getBoundingClientRect();
  return { text, left, top: bottom };
}

/** Offers, right beside text that is selected in a line, what can be done with it. */
export function SelectionMenu({ within, onOnly, onWithout, onHighlight, onCount, onRegularity }: Props) {
  const [selected, setSelected] = useState<Selected>();
  useEffect(() => {
    const settle = (): void => setSelected(selectedIn(within.current));
    const gone = (): void => {
      if (document.getSelection()?.isCollapsed !== false) setSelected(undefined);
    };
    document.addEventListener('mouseup', settle);
    document.addEventListener('keyup', settle);
    document.addEventListener('selectionchange', gone);
    return () => {
      document.removeEventListener('mouseup', settle);
      document.removeEventListener('keyup', settle);
      document.removeEventListener('selectionchange', gone);
    };
  }, [within]);
  if (!selected) return null;
  const term = quoteValue(selected.text).startsWith('"') ? quoteValue(selected.text) : `"${selected.text}"`;
  const act = (what: () => void) => () => {
    document.getSelection()?.removeAllRanges();
    setSelected(undefined);
    what();
  };
  const actions: [name: string, act: () => void][] = [
    ['only', act(() => onOnly(term))],
    ['without', act(() => onWithout(term))],
    ['highlight', act(() => onHighlight(selected.text))],
    ['count over time', act(() => onCount(term))],
    ['regularity', act(() => onRegularity(term))],
  ];
  return (
    <div
      className={classes.selection}
      role="toolbar"
      aria-label={`What to do with “${selected.text}”`}
      data-testid="selection"
      style={{
        left: Math.min(selected.left, window.innerWidth - 330),
        top: Math.min(selected.top + 4, window.innerHeight - 34),
      }}
      // The selection must outlive the press of a button.
      onMouseDown={(event) => event.preventDefault()}
    >
      {actions.map(([name, run]) => (
        <button key={name} type="button" className="word" onClick={run}>
          {name}
        </button>
      ))}
    </div>
  );
}
