import type { Deviation } from './deviation.js';

/** What a measure is of. */
export type OnsetKind = 'load' | 'saturation' | 'latency' | 'errors' | 'volume' | 'availability';

/** What a series is drawn from: a metric, a figure of requests, or how often a pattern comes. */
export type SeriesOf =
  | { of: 'metric'; metric: string; labels: Record<string, string>; aggregate: 'avg' | 'rate' | 'p95' }
  | { of: 'requests'; figure: RequestFigure; service: string; operation: string }
  | { of: 'pattern'; pattern: string };

export type RequestFigure = 'rate' | 'failed' | 'p50' | 'p95';

/** A series that deviates. */
export interface Moved {
  id: string;
  drawn: SeriesOf;
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
export interface OnsetGroup extends Deviation {
  measure: string;
  kind: OnsetKind;
  unit: string;
  service: string;
  members: Moved[];
}

/** Something that was changed, as far as it may be an origin. */
export interface ChangeNear {
  id: string;
  /** Seconds since 1970. */
  at: number;
  service: string;
  title: string;
}

/** What a group seems to be of what happened, as far as its onset, its neighbours and changes tell. */
export type OnsetRole = 'likely origin' | 'consequence' | 'open';

/** A candidate for where it all began, with what speaks for it and against it. */
export interface OriginCandidate {
  group: number;
  score: number;
  role: OnsetRole;
  reasons: { for: boolean; text: string }[];
  /** Id of the change that speaks for it. */
  change?: string;
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
  if (figure === 'percentile' || /(duration|latency|wait|lag|delay|offset|(^|[._])age)/.test(name))
    return 'latency';
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
      const { side, value, usual, spreads, silent, limitIn } = furthest!.deviation;
      return {
        measure,
        kind,
        unit,
        service,
        members: [...members].sort((a, b) => a.deviation.onset - b.deviation.onset),
        onset: firstOf(members.map(({ deviation }) => deviation.onset)),
        within: Math.max(...members.map(({ deviation }) => deviation.within)),
        end: Math.max(...members.map(({ deviation }) => deviation.end)),
        goesOn: members.some(({ deviation }) => deviation.goesOn),
        side,
        value,
        usual,
        spreads,
        ...(silent && { silent }),
        ...(limitIn !== undefined && { limitIn }),
      };
    })
    .sort((a, b) => a.onset - b.onset || b.spreads - a.spreads || (a.measure < b.measure ? -1 : 1));
}

/** Of several members the earliest may be so by chance: of four or more the second counts, of eight the third. */
const firstOf = (onsets: readonly number[]): number =>
  [...onsets].sort((a, b) => a - b)[Math.floor(onsets.length / 4)]!;

/** A change so many seconds before an onset may be its cause. */
const CLOSE = 900;
/** Within so many seconds something that is at fault makes itself felt in who depends on it. */
const SUFFERS = 300;
/** What climbs towards a limit that it has not come to explains little yet. */
const UNREACHED = 4;
/** What began within more seconds than that does not tell by its time what came of what. */
const VAGUE = 180;
/** A change so many seconds after an onset may still stand before it: what is measured tells minutes. */
const TOGETHER = 60;

/** Whether one began before another, by more than the time within which both are told. */
const isSurelyBefore = (one: OnsetGroup, other: OnsetGroup): boolean =>
  other.onset - one.onset > Math.max(one.within, other.within);

/**
 * Candidates for where it began, the likeliest first. For a group speak: that it began before most others, that
 * those that depend on it moved no sooner, that a change of its service or of one that calls it stands close
 * before, that what it is a measure of usually leads. Against it: that something that it calls, or that calls it,
 * moved earlier: slowness and errors come up from what is called, load comes down from who calls. The order of
 * onsets counts most, the kind least; nothing is settled by one of them alone.
 *
 * @param calls who calls whom
 */
export function originsOf(
  groups: readonly OnsetGroup[],
  calls: readonly { from: string; to: string }[],
  changes: readonly ChangeNear[],
): OriginCandidate[] {
  if (groups.length === 0) return [];
  const reaches = reachingOf(calls);
  const sudden = groups.filter(({ limitIn }) => limitIn === undefined);
  const services = new Set(groups.map(({ service }) => service).filter(Boolean));
  /** More load on something, at a time when neither it nor who depends on it got slower or failed. */
  const pushed = (group: OnsetGroup): boolean =>
    group.side === 'above' &&
    (group.kind === 'load' || group.kind === 'saturation') &&
    !groups.some(
      (other) =>
        (other.kind === 'latency' || other.kind === 'errors') &&
        other.within <= VAGUE &&
        !isSurelyBefore(other, group) &&
        other.onset - group.onset <= SUFFERS &&
        (other.service === group.service || reaches(other.service, group.service)),
    );
  return groups
    .map((group, index): OriginCandidate => {
      const { service, onset } = group;
      const reasons: OriginCandidate['reasons'] = [];
      const others = service === '' ? [] : sudden.filter((other) => other.service !== service);
      const later = sudden.filter((other) => isSurelyBefore(group, other)).length;
      const earlier = sudden.filter((other) => isSurelyBefore(other, group)).length;
      let score = (3 * (later - earlier)) / Math.max(1, groups.length - 1);
      if (earlier === 0) reasons.push({ for: true, text: 'nothing moved before it' });
      else reasons.push({ for: false, text: `${earlier} of ${groups.length} moved before it` });
      const callers = others.filter((other) => reaches(other.service, service));
      const victims = callers.filter((other) => other.onset >= onset);
      if (victims.length > 0) {
        const share = new Set(victims.map((one) => one.service)).size / Math.max(1, services.size - 1);
        score += 0.5 + share / 2;
        reasons.push({
          for: true,
          text: `${listed(victims)}, which ${alone(victims) ? 'depends' : 'depend'} on it, moved no sooner`,
        });
      }
      const causes = others.filter(
        (other) => reaches(service, other.service) && isSurelyBefore(other, group),
      );
      if (causes.length > 0) {
        score -= 1;
        reasons.push({ for: false, text: `it depends on ${listed(causes)}, which moved earlier` });
      }
      const drivers = callers.filter((other) => isSurelyBefore(other, group));
      if (drivers.length > 0) {
        score -= 1;
        reasons.push({
          for: false,
          text: `${listed(drivers)}, which ${alone(drivers) ? 'calls' : 'call'} it, moved earlier`,
        });
      }
      const pushing = pushed(group)
        ? callers.filter(
            (other) =>
              other.within <= VAGUE && !isSurelyBefore(other, group) && !isSurelyBefore(group, other),
          )
        : [];
      if (pushing.length > 0) {
        score -= 2;
        reasons.push({
          for: false,
          text: `${listed(pushing)}, which ${alone(pushing) ? 'calls' : 'call'} it, moved with it, and nothing got slower or failed then: load comes down from who calls`,
        });
      }
      const [change] = changes.filter((one) => one.service === service && isBefore(one, group)).sort(latest);
      // On the way to what is called, a change may show there first.
      const [above] = changes
        .filter((one) => one.service !== service && reaches(one.service, service) && isBefore(one, group))
        .sort(latest);
      if (change) {
        score += 1.2;
        const minutes = Math.max(0, Math.round((onset - change.at) / 60));
        reasons.push({
          for: true,
          text: `${change.title}, ${minutes === 0 ? 'in the same minute' : `${minutes} min before`}`,
        });
      } else if (above) {
        score += 1;
        reasons.push({ for: true, text: `${above.service}, which calls it, was changed: ${above.title}` });
      }
      if (group.limitIn !== undefined && later > 0) {
        score -= UNREACHED;
        reasons.push({
          for: false,
          text: 'it climbed for long before the others moved, and had not come to its limit',
        });
      }
      const vague = group.within > VAGUE;
      if (vague) {
        score -= 1;
        reasons.push({
          for: false,
          text: `it is measured so seldom that its onset is told only within ${Math.round(group.within / 60)} min`,
        });
      }
      if (group.kind === 'load') score += 0.3;
      if (group.kind === 'latency' || group.kind === 'errors') score -= 0.3;
      score += Math.min(0.5, Math.log10(Math.max(1, group.spreads)) / 6);
      const caused = causes.length + drivers.length + pushing.length > 0;
      const role =
        group.limitIn !== undefined
          ? 'open'
          : caused
            ? 'consequence'
            : earlier === 0 && later > 0 && !vague
              ? 'likely origin'
              : 'open';
      const near = change ?? above;
      return { group: index, score, role, reasons, ...(near && { change: near.id }) };
    })
    .sort((a, b) => b.score - a.score || a.group - b.group);
}

/**
 * Groups in the order of the ladder: none stands before one that surely began before it, and of those of which time
 * does not tell which was first the likelier origin stands first. The candidates are given back with their new
 * places.
 */
export function inLadderOrder(
  groups: readonly OnsetGroup[],
  origins: readonly OriginCandidate[],
): { groups: OnsetGroup[]; origins: OriginCandidate[] } {
  const byRank = origins.map(({ group }) => group);
  const order: number[] = [];
  while (byRank.length > 0) {
    // The one that began first has none before it, so there always is one.
    const next = byRank.findIndex(
      (at) => !byRank.some((other) => isSurelyBefore(groups[other]!, groups[at]!)),
    );
    order.push(...byRank.splice(next, 1));
  }
  const places = new Map(order.map((at, place) => [at, place]));
  return {
    groups: order.map((at) => groups[at]!),
    origins: origins.map((origin) => ({ ...origin, group: places.get(origin.group)! })),
  };
}

/** Groups of which one calls the other, as places in the groups. */
export function dependenciesOf(
  groups: readonly OnsetGroup[],
  calls: readonly { from: string; to: string }[],
): [caller: number, called: number][] {
  const known = new Set(calls.map(({ from, to }) => `${from}\n${to}`));
  return groups.flatMap((caller, from) =>
    groups.flatMap((called, to): [number, number][] =>
      from !== to && known.has(`${caller.service}\n${called.service}`) ? [[from, to]] : [],
    ),
  );
}

/**
 * What moved first after a change, as far as it may have to do with it: of its own service, of those that depend on
 * it, or of those that it calls; at most a quarter of an hour later.
 */
export function movedAfter(
  change: ChangeNear,
  groups: readonly OnsetGroup[],
  calls: readonly { from: string; to: string }[],
): { group: number; seconds: number } | undefined {
  if (change.service === '') return undefined;
  const reaches = reachingOf(calls);
  // Its own service tells most, then what it calls, then who depends on it.
  const nearness = ({ service }: OnsetGroup): number =>
    service === change.service
      ? 0
      : reaches(change.service, service)
        ? 1
        : reaches(service, change.service)
          ? 2
          : Infinity;
  const related = groups.filter((one) => isBefore(change, one) && nearness(one) < Infinity);
  const first = Math.min(...related.map(({ onset }) => onset));
  const [group] = related
    .filter(({ onset }) => onset <= first + TOGETHER)
    .sort((a, b) => nearness(a) - nearness(b) || a.onset - b.onset);
  return group && { group: groups.indexOf(group), seconds: Math.max(0, group.onset - change.at) };
}

const isBefore = ({ at, service }: ChangeNear, { onset }: OnsetGroup): boolean =>
  service !== '' && at <= onset + TOGETHER && onset - at <= CLOSE;

const latest = (a: ChangeNear, b: ChangeNear): number => b.at - a.at;

const alone = (groups: readonly OnsetGroup[]): boolean =>
  new Set(groups.map(({ service }) => service)).size === 1;

/** Whether one service calls another, itself or by way of others. */
function reachingOf(calls: readonly { from: string; to: string }[]): (from: string, to: string) => boolean {
  const callees = new Map<string, Set<string>>();
  for (const { from, to } of calls) {
    const own = callees.get(from);
    if (own) own.add(to);
    else callees.set(from, new Set([to]));
  }
  const reached = new Map<string, Set<string>>();
  return (from, to) => {
    let seen = reached.get(from);
    if (!seen) {
      seen = new Set<string>();
      const open = [from];
      for (let at = open.pop(); at !== undefined; at = open.pop())
        for (const next of callees.get(at) ?? [])
          if (!seen.has(next)) {
            seen.add(next);
            open.push(next);
          }
      reached.set(from, seen);
    }
    return seen.has(to);
  };
}

const listed = (groups: readonly OnsetGroup[]): string => {
  const services = [...new Set(groups.map(({ service }) => service))];
  return services.length <= 3
    ? services.join(', ')
    : `${services.slice(0, 3).join(', ')} and ${services.length - 3} more`;
};
