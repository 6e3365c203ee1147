import type { FollowNews, LogRecord } from '@flail/contract';
import { useEffect, useReducer } from 'react';
import { api } from '../api/client.js';

/** Records kept while following; older ones can be read in the list. */
const KEPT = 2000;

export interface FollowState {
  /** The newest first. */
  records: readonly LogRecord[];
  paused: boolean;
  /** What came while it was paused, and how many records that were. */
  held: readonly LogRecord[];
  waiting: number;
  /** Records that matched since following began. */
  matched: number;
  lost: boolean;
}

export type FollowAction = FollowNews | 'pause' | 'go on' | 'lost' | 'begin';

const NOTHING: FollowState = { records: [], paused: false, held: [], waiting: 0, matched: 0, lost: false };

/** What is shown after something happened; what comes while it is paused waits. */
export function followed(state: FollowState, action: FollowAction): FollowState {
  switch (action) {
    case 'begin':
      return NOTHING;
    case 'lost':
      return { ...state, lost: true };
    case 'pause':
      return { ...state, paused: true };
    case 'go on': {
      const records = [...state.held, ...state.records].slice(0, KEPT);
      return { ...state, paused: false, held: [], waiting: 0, records };
    }
  }
  const fresh = [...action.records].reverse();
  const matched = state.matched + action.matched;
  if (state.paused) {
    const held = [...fresh, ...state.held].slice(0, KEPT);
    return { ...state, lost: false, matched, held, waiting: state.waiting + action.matched };
  }
  return { ...state, lost: false, matched, records: [...fresh, ...state.records].slice(0, KEPT) };
}

/** Records as they come in, while it is on. */
export function useFollow(
  dataset: string,
  scope: string,
  on: boolean,
): [state: FollowState, act: (action: 'pause' | 'go on') => void] {
  const [state, act] = useReducer(followed, NOTHING);
  useEffect(() => {
    if (!on) return undefined;
    const source = new EventSource(api.followAddress(dataset, scope));
    source.onmessage = ({ data }: MessageEvent<string>) => act(JSON.parse(data) as FollowNews);
    source.onerror = () => act('lost');
    return () => {
      source.close();
      act('begin');
    };
  }, [dataset, scope, on]);
  return [state, act];
}
