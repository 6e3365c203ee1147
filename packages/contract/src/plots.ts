import type { OnsetMember } from './onsets.js';
import type { AggregateName, ReadBody, SeriesLine, WindowBody } from './index.js';

export type RequestFigureName = 'rate' | 'failed' | 'p50' | 'p95';

/** What the lines of a plot are drawn from; everything that has a number over time. */
export type SeriesSource =
  | {
      of: 'metric';
      metric: string;
      where?: Record<string, string[]>;
      /** A line for each combination of the values of these labels. */
      by?: string[];
      aggregate?: AggregateName;
    }
  | { of: 'requests'; figure: RequestFigureName; service?: string; operation?: string }
  | { of: 'pattern'; pattern: string }
  /** Records that match, or what the step after `then` measures of them. */
  | { of: 'expression'; expression: string };

export type GhostName = 'day' | 'week';

export interface PlotQueryBody {
  dataset?: string;
  window: WindowBody;
  source: SeriesSource;
  /** About how many points of time. */
  points?: number;
  /** Seconds before the window that are drawn as well. */
  lead?: number;
  /** What is normal at each step, where one line is drawn. */
  normal?: boolean;
  /** The same line a day or a week before, where one line is drawn. */
  ghosts?: GhostName[];
}

export interface PlotAnswer {
  name: string;
  unit: string;
  /** How it is measured, where that can be chosen. */
  aggregate?: AggregateName;
  from: string;
  /** Seconds. */
  step: number;
  lines: SeriesLine[];
  /** Lines left out since there were too many. */
  more: number;
  normal?: { low: (number | null)[]; high: (number | null)[] };
  /** How the one line left what is normal for it in the window, where it did. */
  moved?: Omit<OnsetMember, 'member'>;
  /** One of those that an average is taken of left its normal range, and the average does not show it. */
  hidden?: OnsetMember;
  ghosts?: { name: GhostName; values: (number | null)[] }[];
  /** What the metric can not go beyond, as a metric of the same name tells. */
  limit?: {
    metric: string;
    values: (number | null)[];
    /** The largest share of it that was used. */
    used?: number;
  };
  exemplars: { time: string; value: number; trace?: string; span?: string; labels: Record<string, string> }[];
}

/** Something that can be drawn, as a search finds it. */
export interface FoundSeries {
  name: string;
  /** What it is of: a service, a unit, how many series. */
  about: string;
  source: SeriesSource;
}

export interface SeriesSearchAnswer {
  metrics: FoundSeries[];
  requests: FoundSeries[];
  patterns: FoundSeries[];
}

export interface MovedWithBody extends ReadBody {
  source: SeriesSource;
}

/** A series that moved with another. */
export interface MovedWith {
  name: string;
  service: string;
  source: SeriesSource;
  /** From −1 to 1. */
  correlation: number;
  /** Seconds by which it comes later than the one in question; below 0 where it comes first. */
  lag: number;
}

export interface MovedWithAnswer {
  name: string;
  /** The time that was compared. */
  window: WindowBody;
  /** Those that moved with it, the strongest first. */
  with: MovedWith[];
  /** Those of the same service, or that it depends on, that stayed as they always are. */
  still: { name: string; service: string; source: SeriesSource }[];
  compared: number;
  /** Share of those named that may be so by chance. */
  chance: number;
}
