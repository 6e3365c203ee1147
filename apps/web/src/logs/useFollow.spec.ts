import type { LogRecord } from '@flail/contract';
import { followed, type FollowState } from './useFollow.js';

const record = (id: number): LogRecord => ({ id: String(id) }) as LogRecord;
const news = (...ids: number[]) => ({ records: ids.map(record), matched: ids.length });
const idsOf = (state: FollowState): string => state.records.map(({ id }) => id).join(' ');

describe('following', () => {
  const begun = followed({} as FollowState, 'begin');

  it('shows what comes, the newest first', () => {
    const state = followed(followed(begun, news(1, 2)), news(3));
    expect(idsOf(state)).toBe('3 2 1');
    expect(state.matched).toBe(3);
  });

  it('lets what comes while it is paused wait, and shows it then', () => {
    const paused = followed(followed(begun, news(1)), 'pause');
    const more = followed(followed(paused, news(2, 3)), news(4));
    expect(idsOf(more)).toBe('1');
    expect(more.waiting).toBe(3);
    const goesOn = followed(more, 'go on');
    expect(idsOf(goesOn)).toBe('4 3 2 1');
    expect(goesOn).toMatchObject({ waiting: 0, matched: 4, paused: false });
  });

  it('counts more than it keeps, and forgets that the connection was lost once news come', () => {
    const many = Array.from({ length: 2500 }, (_, index) => index);
    const state = followed(followed(begun, 'lost'), { records: many.map(record), matched: 9000 });
    expect(state.records).toHaveLength(2000);
    expect(state).toMatchObject({ matched: 9000, lost: false });
  });
});
