import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { act, renderHook, waitFor } from '@testing-library/react';
import type { ReactNode } from 'react';
import { MemoryRouter } from 'react-router';
import { answerWith } from '../testing/answers.js';
import { useTold } from './useTold.js';

interface News {
  done: number;
  total: number;
  best: string;
}

/** A question that is answered, and told of, when the test says so. */
class Asked {
  told: (news: Partial<News>) => void = () => undefined;
  answer: (value: string) => void = () => undefined;
  signal?: AbortSignal;

  readonly ask = (told: (news: News) => void, signal: AbortSignal): Promise<string> => {
    this.told = told as (news: Partial<News>) => void;
    this.signal = signal;
    return new Promise((resolve) => (this.answer = resolve));
  };
}

describe('a question that is told of on the way', () => {
  const questions = new Map<string, Asked>();
  const questionOf = (name: string): Asked => {
    const known = questions.get(name) ?? new Asked();
    questions.set(name, known);
    return known;
  };
  const asking = (first: string, keep = false) => {
    const client = new QueryClient();
    return renderHook(({ name }) => useTold<string, News>(['told', name], questionOf(name).ask, { keep }), {
      initialProps: { name: first },
      wrapper: ({ children }: { children: ReactNode }) => (
        <QueryClientProvider client={client}>
          <MemoryRouter>{children}</MemoryRouter>
        </QueryClientProvider>
      ),
    });
  };
  beforeEach(() => {
    questions.clear();
    answerWith({ datasets: [] });
  });

  it('has its news one after the other, then its answer', async () => {
    const { result } = asking('a');
    await waitFor(() => expect(questions.get('a')?.signal).toBeDefined());
    expect(result.current.progress).toBeUndefined();
    act(() => questions.get('a')!.told({ done: 1, total: 4 }));
    act(() => questions.get('a')!.told({ best: 'store' }));
    expect(result.current.progress).toEqual({ done: 1, total: 4 });
    expect(result.current.told).toEqual({ done: 1, total: 4, best: 'store' });
    act(() => questions.get('a')!.told({ done: 3, total: 4 }));
    expect(result.current.progress).toEqual({ done: 3, total: 4 });
    act(() => questions.get('a')!.answer('all'));
    await waitFor(() => expect(result.current.data).toBe('all'));
  });

  it('has no news of another question', async () => {
    const { result, rerender } = asking('a');
    await waitFor(() => expect(questions.get('a')?.signal).toBeDefined());
    act(() => questions.get('a')!.told({ done: 3, total: 4, best: 'store' }));
    rerender({ name: 'b' });
    expect(result.current.told).toEqual({});
    expect(result.current.progress).toBeUndefined();
    await waitFor(() => expect(questions.get('b')?.signal).toBeDefined());
    act(() => questions.get('a')!.told({ done: 4, total: 4 }));
    expect(result.current.told).toEqual({});
    act(() => questions.get('b')!.told({ done: 1, total: 9 }));
    expect(result.current.progress).toEqual({ done: 1, total: 9 });
  });

  it.each([
    [true, 'all'],
    [false, undefined],
  ])('keeps the answer before until there is another where it is to (%s)', async (keep, meanwhile) => {
    const { result, rerender } = asking('a', keep);
    await waitFor(() => expect(questions.get('a')?.signal).toBeDefined());
    act(() => questions.get('a')!.answer('all'));
    await waitFor(() => expect(result.current.data).toBe('all'));
    rerender({ name: 'b' });
    expect(result.current.data).toBe(meanwhile);
    expect(result.current.isPlaceholderData).toBe(keep);
  });

  it('is given up when nobody looks any more', async () => {
    const { unmount } = asking('a');
    await waitFor(() => expect(questions.get('a')?.signal).toBeDefined());
    unmount();
    expect(questions.get('a')!.signal!.aborted).toBe(true);
  });
});
