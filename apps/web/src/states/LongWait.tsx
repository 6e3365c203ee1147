import type { ProgressBody } from '@flail/contract';
import { Progress } from '@mantine/core';
import { useQueryClient } from '@tanstack/react-query';
import { fullCount } from '../format/numbers.js';
import classes from './states.module.css';

interface Props {
  progress: ProgressBody | undefined;
  /** What is gone through, in the plural. */
  what: string;
  /** The first part of the key of the question, so that it can be stopped. */
  queryKey: string;
}

/** While something is looked through that takes seconds: how far it is, and the way to stop it. */
export function LongWait({ progress, what, queryKey }: Props) {
  const client = useQueryClient();
  const share = progress && progress.total > 0 ? (100 * progress.done) / progress.total : 100;
  return (
    <div className={classes.long} role="status" data-testid="long-wait">
      <Progress value={share} animated={!progress} size="xs" w={160} aria-label={`Looking through ${what}`} />
      {progress
        ? `${fullCount(progress.done)} of ${fullCount(progress.total)} ${what}`
        : `Looking through ${what}.`}
      <button
        type="button"
        className="word"
        onClick={() => void client.cancelQueries({ queryKey: [queryKey] })}
      >
        stop
      </button>
    </div>
  );
}
