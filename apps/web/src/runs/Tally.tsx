import type { JobTallyBody, RunsTallyAnswer, StrokeBody } from '@flail/contract';
import { useElementSize } from '@mantine/hooks';
import type { Span } from '../context/view-state.js';
import { dayTime, duration } from '../format/times.js';
import { jobFinding } from './sentences.js';
import classes from './runs.module.css';

const LINE = 28;
const NAME = 150;

interface Props {
  tally: RunsTallyAnswer;
  span: Span;
  job: string;
  onJob: (job: string, value: string) => void;
  onRun: (run: string) => void;
}

/** Per job and parameter that matters a stroke for each run: up where it went well, down where it failed, hanging where it is stuck. */
export function Tally({ tally, span, job, onJob, onRun }: Props) {
  const { ref, width } = useElementSize();
  const stuck = new Set(tally.stuck.map(({ run }) => run));
  return (
    <div ref={ref}>
      {tally.jobs.map((one) => (
        <section key={one.job} className={classes.job} data-testid="tally" data-job={one.job}>
          <p>
            <button
              type="button"
              className="word"
              aria-pressed={job === one.job}
              onClick={() => onJob(job === one.job ? '' : one.job, '')}
            >
              {one.job}
            </button>{' '}
            {jobFinding(one)}
          </p>
          {one.lines.map((line) => (
            <div key={line.value} className={classes.line}>
              <button
                type="button"
                className={classes.value}
                data-bad={one.spread.subset.includes(line.value)}
                onClick={() => onJob(one.job, line.value)}
              >
                {line.value === '' ? 'all runs' : line.value}
              </button>
              <Strokes
                line={line}
                span={span}
                width={Math.max(100, width - NAME - 70)}
                stuck={stuck}
                longest={longestOf(one)}
                onRun={onRun}
              />
              <span className={classes.count} title="gone wrong of all">
                {line.failed + line.withErrors} of {line.strokes.length}
              </span>
            </div>
          ))}
        </section>
      ))}
    </div>
  );
}

const longestOf = ({ lines }: JobTallyBody): number =>
  Math.max(1, ...lines.flatMap(({ strokes }) => strokes.map(({ seconds }) => seconds)));

/** Strokes are so high at least, and at most, in pixels. */
const LOW = 4;
const HIGH = 13;

function Strokes({
  line,
  span,
  width,
  stuck,
  longest,
  onRun,
}: {
  line: JobTallyBody['lines'][number];
  span: Span;
  width: number;
  stuck: ReadonlySet<string>;
  longest: number;
  onRun: (run: string) => void;
}) {
  const x = (time: string): number =>
    Math.max(1, Math.min(width - 2, ((Date.parse(time) - span.from) / (span.to - span.from)) * width));
  const middle = LINE / 2;
  return (
    <svg
      width={width}
      height={LINE}
      role="group"
      aria-label={`${line.strokes.length} runs, ${line.failed} failed`}
    >
      <line x1={0} x2={width} y1={middle} y2={middle} className={classes.ground} />
      {line.strokes.map((stroke) => {
        const { run, time, seconds, state } = stroke;
        const length = LOW + (HIGH - LOW) * Math.sqrt(seconds / longest);
        const kind = stuck.has(run) ? 'stuck' : state;
        const text = strokeText(stroke, kind);
        return (
          <g
            key={run}
            className={classes.stroke}
            data-state={kind}
            role="button"
            tabIndex={-1}
            aria-label={text}
            onClick={() => onRun(run)}
          >
            <title>{text}</title>
            <rect x={x(time) - 3} y={0} width={7} height={LINE} fill="transparent" />
            {kind === 'stuck' ? (
              <>
                <line x1={x(time)} x2={x(time)} y1={middle} y2={LINE - 1} strokeDasharray="2 2" />
                <circle cx={x(time)} cy={LINE - 3} r={2.5} />
              </>
            ) : state === 'failed' || state === 'stopped' ? (
              <line x1={x(time)} x2={x(time)} y1={middle} y2={middle + length} />
            ) : (
              <>
                <line x1={x(time)} x2={x(time)} y1={middle - length} y2={middle} />
                {state === 'done with errors' && (
                  <line x1={x(time)} x2={x(time)} y1={middle} y2={middle + LOW} className={classes.errors} />
                )}
              </>
            )}
          </g>
        );
      })}
    </svg>
  );
}

const strokeText = ({ time, seconds }: StrokeBody, state: string): string =>
  `${dayTime(time)}: ${state}, ${duration(seconds * 1000)}`;
