import type { SeriesSource } from './plots.js';

export type OnsetKindName = 'load' | 'saturation' | 'latency' | 'errors' | 'volume' | 'availability';

/** What a group seems to be of what happened; open where onset, neighbours and changes do not tell. */
export type OnsetRoleName = 'likely origin' | 'consequence' | 'open';

/** A series that left what is normal for it. */
export interface OnsetMember {
  member: string;
  side: 'above' | 'below';
  onset: string;
  /** Seconds by which the onset may lie elsewhere. */
  within: number;
  end: string;
  goesOn: boolean;
  value: number;
  usual: number;
  /** Robust standard deviations. */
  spreads: number;
  /** It was not measured any more. */
  silent?: true;
  /** It climbs slowly towards a limit, and is there in so many seconds at this pace. */
  limitIn?: number;
}

/** The same measure of one service, over those of its members that moved. */
export interface OnsetGroupBody extends Omit<OnsetMember, 'member'> {
  measure: string;
  kind: OnsetKindName;
  unit: string;
  /** Empty where no service is named. */
  service: string;
  members: OnsetMember[];
  /** Id of the pattern that it is the rate of. */
  pattern?: string;
  /** What it is drawn from, with a line for each member. */
  source: SeriesSource;
}

export interface OnsetsSearchAnswer {
  /** In the order in which they began. */
  groups: OnsetGroupBody[];
  /** Candidates for the origin, the likeliest first; `group` is a place in the groups. */
  origins: {
    group: number;
    role: OnsetRoleName;
    reasons: { for: boolean; text: string }[];
    /** Id of the change that speaks for it. */
    change?: string;
  }[];
  /** Changes in and shortly before the focus. */
  changes: {
    id: string;
    time: string;
    service: string;
    title: string;
    kind: string;
    /** What moved first after it that may have to do with it, as a place in the groups, and how much later. */
    then?: { group: number; seconds: number };
  }[];
  /** Groups of which one calls the other, as places in the groups. */
  depends: [caller: number, called: number][];
  /** Series that were looked at. */
  scanned: number;
}

/** How far a long task has got. */
export interface ProgressBody {
  done: number;
  total: number;
}
