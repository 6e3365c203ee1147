import type { OnsetGroupBody, OnsetsSearchAnswer, PatternSummary, ProgressBody } from '@flail/contract';
import {
  beganByLines,
  type ChangeNear,
  dependenciesOf,
  FIRST_LINES,
  groupsOf,
  inLadderOrder,
  type Moved,
  movedAfter,
  type OnsetGroup,
  originsOf,
  rateDeviation,
} from '@flail/core/onsets';
import { microsOf, momentText } from '@flail/core/time';
import { Injectable } from '@nestjs/common';
import { ChangesService } from '../events/changes.service.js';
import { PatternRatesService } from '../query/pattern-rates.service.js';
import { PatternsService } from '../query/patterns.service.js';
import type { Asked } from '../query/planner.js';
import { QueryService } from '../query/query.service.js';
import { RequestsService } from '../requests/requests.service.js';
import { watched } from '../told/progress.js';
import { TopologyService } from '../topology/topology.service.js';
import { PAST, SeriesAsked } from './series-asked.service.js';
import { deviationBody, sourceOf } from './series-source.js';

const SECOND = 1_000_000;
/** Patterns that are looked at, the most surprising first. */
const PATTERNS = 200;
/** Changes are told of from so long before the focus, microseconds. */
const BEFORE = 1800 * SECOND;
const MOST_CHANGES = 200;
const MINUTE = 60;
/** Lines a minute that are hardly any. */
const SELDOM = 0.5;

/** What moved, in the order in which it began, and where it may have begun. */
@Injectable()
export class OnsetsService {
  constructor(
    private readonly requests: RequestsService,
    private readonly series: SeriesAsked,
    private readonly patterns: PatternsService,
    private readonly rates: PatternRatesService,
    private readonly queries: QueryService,
    private readonly topologies: TopologyService,
    private readonly changes: ChangesService,
  ) {}

  async search(asked: Asked, tell?: (news: ProgressBody) => void): Promise<OnsetsSearchAnswer> {
    const { dataset, asker, window } = asked;
    const near = { from: window.from - BEFORE, to: window.to };
    const steps = this.series.steps(window);
    const members = this.series.members(dataset, asker, steps);
    const [scan, lines, topology, changed] = await Promise.all([
      watched(
        (progress) => this.requests.ofSeries(asked, { kind: 'onsets', steps, members, progress }, PAST),
        tell,
        asked.signal,
      ),
      this.patternsMoved(asked),
      this.topologies.topology(dataset, asker, window),
      this.changes.search(dataset, asker, near, MOST_CHANGES),
    ]);
    const moved = groupsOf([...scan.moved, ...lines.moved]);
    const changes: (ChangeNear & { kind: string })[] = changed.changes.map(
      ({ id, time, title, kind, entity }) => ({
        id,
        at: microsOf(time) / SECOND,
        service: entity.service ?? '',
        title,
        kind,
      }),
    );
    const { groups, origins } = inLadderOrder(moved, originsOf(moved, topology.calls, changes));
    return {
      groups: groups.map(groupBody),
      origins: origins.map(({ score: _, ...origin }) => origin),
      changes: changes.map((one) => {
        const { at, ...change } = one;
        const then = movedAfter(one, groups, topology.calls);
        return { ...change, time: momentText(at * SECOND), ...(then && { then }) };
      }),
      depends: dependenciesOf(groups, topology.calls),
      scanned: scan.scanned + lines.scanned,
    };
  }

  /** Patterns whose lines came up in the focus. */
  private async patternsMoved(asked: Asked): Promise<{ moved: Moved[]; scanned: number }> {
    if (!asked.baseline) return { moved: [], scanned: 0 };
    const { patterns } = await this.patterns.search(asked, 'surprise', PATTERNS);
    const up = patterns.filter(({ focus, expected }) => focus > expected);
    const steps = this.series.steps(asked.window);
    const rates = await this.rates.rates(
      asked,
      up.map(({ id }) => id),
      steps,
    );
    const focus = { from: asked.window.from / SECOND, to: asked.window.to / SECOND };
    const moved = await Promise.all(
      up.map(async (one): Promise<Moved[]> => {
        const first = one.change === 'first seen' ? microsOf(one.firstSeen) / SECOND : undefined;
        const deviation = rateDeviation(rates.get(one.id)!, focus, first);
        if (!deviation) return [];
        const began = await this.firstLine(asked, one.id, deviation);
        return [{ ...patternSeries(one), deviation: { ...deviation, ...began } }];
      }),
    );
    return { moved: moved.flat(), scanned: patterns.length };
  }

  /** When the lines of a pattern began, by the first of them, where hardly any came before. */
  private async firstLine(
    asked: Asked,
    id: string,
    { onset, within, usual }: Moved['deviation'],
  ): Promise<Pick<Moved['deviation'], 'onset' | 'within'>> {
    if (usual > SELDOM) return { onset, within };
    const from = Math.floor(onset / MINUTE) * MINUTE;
    const { records } = await this.queries.search(
      {
        ...asked,
        window: { from: from * SECOND, to: (from + 2 * MINUTE) * SECOND },
        scope: asked.scope === '' ? `pattern ${id}` : `(${asked.scope}) and pattern ${id}`,
      },
      'oldest',
      FIRST_LINES,
    );
    const times = records.map(({ time }) => microsOf(time) / SECOND);
    return times.length > 0 && times[0]! < from + MINUTE ? beganByLines(times) : { onset, within };
  }
}

/** What the lines of a pattern are, as a series. */
export const patternSeries = ({
  id,
  sentence,
  services,
}: Pick<PatternSummary, 'id' | 'sentence' | 'services'>): Omit<Moved, 'deviation'> => ({
  id: `pattern ${id}`,
  measure: sentence.map((part) => ('text' in part ? part.text : '…')).join(''),
  kind: 'volume',
  unit: 'lines/min',
  service: services[0] ?? '',
  member: id,
  drawn: { of: 'pattern', pattern: id },
});

const groupBody = ({ measure, kind, unit, service, members, ...deviation }: OnsetGroup): OnsetGroupBody => {
  const { drawn } = members[0]!;
  return {
    measure,
    kind,
    unit,
    service,
    ...deviationBody(deviation),
    members: members.map(({ member, deviation: own }) => ({ member, ...deviationBody(own) })),
    ...(drawn.of === 'pattern' && { pattern: drawn.pattern }),
    source: sourceOf(members.map((one) => one.drawn)),
  };
};
