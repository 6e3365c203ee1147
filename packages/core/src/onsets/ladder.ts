import type { Deviation } from './deviation.js';

/** What a measure is of. */
export type OnsetKind = 'load' | 'saturation' | 'latency' | 'errors' | 'volume' | 'availability';

/** A series that deviates. */
export interface Moved {
  id: string;
  /** Metric, figure or pattern. */
  measure: string;
  kind: OnsetKind;
  unit: string;
  /** Where it was measured; empty where no service is named. */
  service: string;
  /** Instance, host or other label that tells it from its siblings. */
  member: string;
  deviation: Deviation;
}

/** The same measure of one service, over those of its members that moved. */
export interface OnsetGroup {
  measure: string;
  kind: OnsetKind;
  unit: string;
  service: string;
  members: Moved[];
  /** Seconds since 1970. */
  onset: number;
  end: number;
  goesOn: boolean;
  side: 'above' | 'below';
  /** Of the member that moved furthest. */
  value: number;
  usual: number;
  spreads: number;
}

/** Something that was changed, as far as it may be an origin. */
export interface ChangeNear {
  id: string;
  /** Seconds since 1970. */
  at: number;
  service: string;
  title: string;
}

/** A candidate for where it all began, with what speaks for it and against it. */
export interface OriginCandidate {
  group: number;
  score: number;
  reasons: { for: boolean; text: string }[];
}

/** What a measure is of, by its name and unit: the words of OpenTelemetry's conventions and of practice. */
export function kindOf(
  measure: string,
  unit: string,
  figure: 'gauge' | 'rate' | 'percentile' | 'share',
): OnsetKind {
  const name = measure.toLowerCase();
  if (/(^|[._ ])(probe|up|ready|readiness|alive|health)([._ ]|$)/.test(name)) return 'availability';
  if (figure === 'share' || /(error|fail|reject|refus|drop|lost|timeout)/.test(name)) return 'errors';
  if (figure === 'percentile' || /(duration|latency|wait|lag|delay|offset|age)/.test(name)) return 'latency';
  if (figure === 'rate') return 'load';
  if (
    /(util|usage|used|queue|depth|open|active|session|connection|descriptor|memory|pool|backlog|saturation|limit)/.test(
      name,
    ) ||
    unit === '1'
  )
    return 'saturation';
  return 'load';
}

/** Groups series by measure and service, those that began first first; of equals the one that moved furthest. */
export function groupsOf(moved: readonly Moved[]): OnsetGroup[] {
  const groups = new Map<string, Moved[]>();
  for (const one of moved) {
    const key = `${one.service}\n${one.measure}\n${one.deviation.side}`;
    const own = groups.get(key);
    if (own) own.push(one);
    else groups.set(key, [one]);
  }
  return [...groups.values()]
    .map((members): OnsetGroup => {
      const [furthest] = [...members].sort((a, b) => b.deviation.spreads - a.deviation.spreads);
      const { measure, kind, unit, service } = furthest!;
      const { side, value, usual, spreads } = furthest!.deviation;
      return {
        measure,
        kind,
        unit,
        service,
        members: [...members].sort((a, b) => a.deviation.onset - b.deviation.onset),
        onset: Math.min(...members.map(({ deviation }) => deviation.onset)),
        end: Math.max(...members.map(({ deviation }) => deviation.end)),
        goesOn: members.some(({ deviation }) => deviation.goesOn),
        side,
        value,
        usual,
        spreads,
      };
    })
    .sort((a, b) => a.onset - b.onset || b.spreads - a.spreads || (a.measure < b.measure ? -1 : 1));
}

/** A change so many seconds before an onset may be its cause. */
const CLOSE = 900;
/** Onsets so many seconds apart can not be told apart. */
const TOGETHER = 60;

/**
 * Candidates for where it began, the likeliest first. For a group speak: that it began before most others, that
 * those it is called by moved later, that a change of its service stands close before, that what it is a measure
 * of usually leads. Against it: that something that it calls moved earlier. The order of onsets counts most, the
 * kind least; nothing is settled by one of them alone.
 *
 * @param calls who calls whom
 */
export function originsOf(
  groups: readonly OnsetGroup[],
  calls: readonly { from: string; to: string }[],
  changes: readonly ChangeNear[],
): OriginCandidate[] {
  if (groups.length === 0) return [];
  const callees = new Map<string, Set<string>>();
  for (const { from, to } of calls) {
    const own = callees.get(from);
    if (own) own.add(to);
    else callees.set(from, new Set([to]));
  }
  const reaches = (from: string, to: string): boolean => {
    const seen = new Set<string>();
    const open = [from];
    for (let at = open.pop(); at !== undefined; at = open.pop())
      for (const next of callees.get(at) ?? []) {
        if (next === to) return true;
        if (!seen.has(next)) {
          seen.add(next);
          open.push(next);
        }
      }
    return false;
  };
  return groups
    .map((group, index): OriginCandidate => {
      const reasons: OriginCandidate['reasons'] = [];
      let score = 0;
      const later = groups.filter(({ onset }) => onset > group.onset + TOGETHER).length;
      const earlier = groups.filter(({ onset }) => onset < group.onset - TOGETHER).length;
      const others = Math.max(1, groups.length - 1);
      score += (3 * (later - earlier)) / others;
      if (earlier === 0) reasons.push({ for: true, text: 'nothing moved before it' });
      else reasons.push({ for: false, text: `${earlier} of ${groups.length} moved before it` });
      const callers = groups.filter(
        (other) =>
          other.service !== group.service && group.service !== '' && reaches(other.service, group.service),
      );
      const victims = callers.filter(({ onset }) => onset >= group.onset);
      if (victims.length > 0) {
        score += 1;
        reasons.push({
          for: true,
          text: `${listed(victims)}, which ${victims.length === 1 ? 'depends' : 'depend'} on it, moved no sooner`,
        });
      }
      const causes = groups.filter(
        (other) =>
          other.service !== group.service &&
          group.service !== '' &&
          reaches(group.service, other.service) &&
          other.onset < group.onset - TOGETHER,
      );
      if (causes.length > 0) {
        score -= 1;
        reasons.push({ for: false, text: `it depends on ${listed(causes)}, which moved earlier` });
      }
      const [change] = changes
        .filter(
          ({ at, service }) =>
            service !== '' &&
            service === group.service &&
            at <= group.onset + TOGETHER &&
            group.onset - at <= CLOSE,
        )
        .sort((a, b) => b.at - a.at);
      if (change) {
        score += 1.5;
        const minutes = Math.max(0, Math.round((group.onset - change.at) / 60));
        reasons.push({
          for: true,
          text: `${change.title}, ${minutes === 0 ? 'in the same minute' : `${minutes} min before`}`,
        });
      }
      // On the way to what it calls, a change may show there first.
      const [above] = changes
        .filter(
          ({ at, service }) =>
            service !== '' &&
            service !== group.service &&
            reaches(service, group.service) &&
            at <= group.onset + TOGETHER &&
            group.onset - at <= CLOSE,
        )
        .sort((a, b) => b.at - a.at);
      if (!change && above) {
        score += 1;
        reasons.push({ for: true, text: `${above.service}, which calls it, was changed: ${above.title}` });
      }
      if (group.kind === 'load') score += 0.3;
      if (group.kind === 'latency' || group.kind === 'errors') score -= 0.3;
      score += Math.min(0.5, Math.log10(Math.max(1, group.spreads)) / 6);
      return { group: index, score, reasons };
    })
    .sort((a, b) => b.score - a.score || a.group - b.group);
}

const listed = (groups: readonly OnsetGroup[]): string => {
  const services = [...new Set(groups.map(({ service }) => service))];
  return services.length <= 3
    ? services.join(', ')
    : `${services.slice(0, 3).join(', ')} and ${services.length - 3} more`;
};
