import { act, fireEvent, screen } from '@testing-library/react';
import { jest } from '@jest/globals';
import type { Span } from '../context/view-state.js';
import { changeAt } from '../testing/moved.js';
import { renderAt } from '../testing/render.js';
import { Flags } from './Flags.js';

const HOUR = Date.parse('2026-03-02T18:00:00Z');

describe('flags on the timeband', () => {
  const chosen: Span[] = [];
  /** A minute of the hour is ten pixels. */
  const scale = (moment: number): number => (moment - HOUR) / 6000;
  const shown = (): HTMLElement[] => {
    renderAt(
      '/logs',
      <svg>
        <Flags
          changes={[
            changeAt('a', 5),
            changeAt('b', 30),
            ...Array.from({ length: 9 }, (_, at) => changeAt(`c${at}`, 40, { entity: { host: `h${at}` } })),
          ]}
          scale={scale}
          onChoose={(span) => chosen.push(span)}
        />
      </svg>,
    );
    return screen.getAllByTestId('flag');
  };
  const rest = (): void => act(() => void jest.advanceTimersByTime(500));
  beforeEach(() => jest.useFakeTimers());
  afterEach(() => jest.useRealTimers());

  it('tell of their changes when the pointer rests on them, one at a time', () => {
    const flags = shown();
    expect(flags).toHaveLength(3);
    fireEvent.pointerEnter(flags[0]!);
    expect(screen.queryByText('pool a')).toBeNull();
    rest();
    expect(screen.getByText(/pool a/)).toBeInTheDocument();
    fireEvent.pointerLeave(flags[0]!);
    rest();
    expect(screen.queryByText(/pool a/)).toBeNull();
    fireEvent.pointerEnter(flags[2]!);
    rest();
    expect(screen.getAllByText(/pool c\d/)).toHaveLength(8);
    expect(screen.getByText('and 1 more')).toBeInTheDocument();
  });

  it('are not told about where the pointer only passes', () => {
    const flags = shown();
    fireEvent.pointerEnter(flags[1]!);
    fireEvent.pointerLeave(flags[1]!);
    rest();
    expect(screen.queryByText(/pool b/)).toBeNull();
  });

  it('set the focus around them by pointer and by key, and are told about to those who use keys', () => {
    const flags = shown();
    fireEvent.focus(flags[1]!);
    rest();
    expect(screen.getByText(/pool b/)).toBeInTheDocument();
    chosen.length = 0;
    fireEvent.keyDown(flags[1]!, { key: 'Enter' });
    fireEvent.click(flags[1]!);
    fireEvent.keyDown(flags[1]!, { key: 'x' });
    const around = { from: HOUR + 20 * 60_000, to: HOUR + 50 * 60_000 };
    expect(chosen).toEqual([around, around]);
  });
});
