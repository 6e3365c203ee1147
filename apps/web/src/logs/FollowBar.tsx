import { plural } from '../format/numbers.js';
import type { FollowState } from './useFollow.js';
import classes from './logs.module.css';

interface Props {
  following: FollowState;
  onPause: (paused: boolean) => void;
  onEnd: () => void;
}

/** Says that lines are followed, what waits while it is paused, and how to go on. */
export const FollowBar = ({ following: { waiting, lost, paused }, onPause, onEnd }: Props) => (
  <div className={classes.followBar} role="status" data-testid="follow">
    {lost
      ? 'The connection is lost; it is tried again.'
      : paused
        ? `Paused; ${waiting === 0 ? 'nothing new waits' : `${plural(waiting, 'record')} wait`}.`
        : 'Following: the newest first, as they come in.'}
    <button type="button" className="word" onClick={() => onPause(!paused)}>
      {paused ? 'go on' : 'pause'}
    </button>
    <button type="button" className="word" onClick={onEnd}>
      end following
    </button>
  </div>
);
