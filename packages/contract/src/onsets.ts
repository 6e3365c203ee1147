export type OnsetKindName = 'load' | 'saturation' | 'latency' | 'errors' | 'volume' | 'availability';

/** A series that left what is normal for it. */
export interface OnsetMember {
  member: string;
  side: 'above' | 'below';
  onset: string;
  end: string;
  goesOn: boolean;
  value: number;
  usual: number;
  /** Robust standard deviations. */
  spreads: number;
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
}

export interface OnsetsSearchAnswer {
  /** In the order in which they began. */
  groups: OnsetGroupBody[];
  /** Candidates for the origin, the likeliest first; `group` is a place in the groups. */
  origins: { group: number; reasons: { for: boolean; text: string }[] }[];
  /** Changes in and shortly before the focus. */
  changes: { id: string; time: string; service: string; title: string; kind: string }[];
  /** Groups of which one calls the other, as places in the groups. */
  depends: [caller: number, called: number][];
  /** Series that were looked at. */
  scanned: number;
}
