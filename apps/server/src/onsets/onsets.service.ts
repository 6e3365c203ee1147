import type { OnsetGroupBody, OnsetMember, OnsetsSearchAnswer, PatternSummary } from '@flail/contract';
import type { Window } from '@flail/core';
import { type ChangeNear, groupsOf, type Moved, type OnsetGroup, originsOf } from '@flail/core/onsets';
import { microsOf, momentText } from '@flail/core/time';
import { Injectable } from '@nestjs/common';
import { ChangesService } from '../events/changes.service.js';
import { PatternsService } from '../query/patterns.service.js';
import type { Asked } from '../query/planner.js';
import { RequestsService } from '../requests/requests.service.js';
import { TopologyService } from '../topology/topology.service.js';

const SECOND = 1_000_000;
/** Patterns that are looked at, the most surprising first. */
const PATTERNS = 60;
/** Lines of a new pattern below which it is no series: single lines stand in Patterns. */
const ENOUGH_LINES = 15;
/** Times as many lines as expected that a pattern has to have. */
const TIMES = 3;
/** Changes are told of from so long before the focus, microseconds. */
const BEFORE = 1800 * SECOND;
const MOST_CHANGES = 200;

/** What moved, in the order in which it began, and where it may have begun. */
@Injectable()
export class OnsetsService {
  constructor(
    private readonly requests: RequestsService,
    private readonly patterns: PatternsService,
    private readonly topologies: TopologyService,
    private readonly changes: ChangesService,
  ) {}

  async search(asked: Asked): Promise<OnsetsSearchAnswer> {
    const { dataset, asker, window } = asked;
    const near = { from: window.from - BEFORE, to: window.to };
    const [scan, patterns, topology, changed] = await Promise.all([
      this.requests.onsets(asked),
      asked.baseline ? this.patterns.search(asked, 'surprise', PATTERNS) : undefined,
      this.topologies.topology(dataset, asker, window),
      this.changes.search(dataset, asker, near, MOST_CHANGES),
    ]);
    const summaries = patterns?.patterns ?? [];
    const groups = groupsOf([...scan.moved, ...summaries.flatMap((one) => patternMoved(one, window))]);
    const changes: (ChangeNear & { kind: string })[] = changed.changes.map(
      ({ id, time, title, kind, entity }) => ({
        id,
        at: microsOf(time) / SECOND,
        service: entity.service ?? '',
        title,
        kind,
      }),
    );
    return {
      groups: groups.map(groupBody),
      origins: originsOf(groups, topology.calls, changes).map(({ group, reasons }) => ({ group, reasons })),
      changes: changes.map(({ at, ...change }) => ({ ...change, time: momentText(at * SECOND) })),
      depends: groups.flatMap((caller, from) =>
        groups.flatMap((called, to): [number, number][] =>
          from !== to &&
          topology.calls.some((call) => call.from === caller.service && call.to === called.service)
            ? [[from, to]]
            : [],
        ),
      ),
      scanned: scan.scanned + summaries.length,
    };
  }
}

/** A pattern whose lines came up in the focus, as something that moved. */
function patternMoved(
  { id, sentence, focus, expected, change, services, firstSeen, trend }: PatternSummary,
  window: Window,
): Moved[] {
  const fresh = change === 'first seen' || change === 'new here';
  if (focus < ENOUGH_LINES || !(fresh || (change === 'more' && focus > TIMES * expected))) return [];
  const step = (window.to - window.from) / trend.length;
  const usual = expected / trend.length;
  // One line where there are hardly any is no rise.
  const limit = Math.max(TIMES * usual, usual + 3 * Math.sqrt(usual), 1);
  const outside = trend.flatMap((count, at) => (count > limit ? [at] : []));
  // A single line before it is not yet it.
  const first = outside.find((at) => outside.includes(at + 1));
  if (first === undefined || outside.length < 3) return [];
  const seen = microsOf(firstSeen);
  // The first line of a new pattern is known to the microsecond; of others the step.
  const began = Math.max(window.from + first * step, change === 'first seen' ? seen : 0);
  const last = outside.at(-1)!;
  const level = outside.reduce((sum, at) => sum + trend[at]!, 0) / outside.length;
  return [
    {
      id: `pattern ${id}`,
      measure: sentence.map((part) => ('text' in part ? part.text : '…')).join(''),
      kind: 'volume',
      unit: 'lines',
      service: services[0] ?? '',
      member: id,
      deviation: {
        side: 'above',
        onset: Math.floor(began / SECOND / 60) * 60,
        end: (window.from + (last + 1) * step) / SECOND,
        goesOn: last >= trend.length - 2,
        value: (level * 60 * SECOND) / step,
        usual: (usual * 60 * SECOND) / step,
        spreads: (level - usual) / Math.sqrt(usual + 1),
      },
    },
  ];
}

const moments = ({
  onset,
  end,
  goesOn,
  side,
  value,
  usual,
  spreads,
}: Moved['deviation']): Omit<OnsetMember, 'member'> => ({
  side,
  onset: momentText(onset * SECOND),
  end: momentText(end * SECOND),
  goesOn,
  value,
  usual,
  spreads,
});

const groupBody = ({ measure, kind, unit, service, members, ...deviation }: OnsetGroup): OnsetGroupBody => ({
  measure,
  kind,
  unit,
  service,
  ...moments(deviation),
  members: members.map(({ member, deviation: own }) => ({ member, ...moments(own) })),
  ...(kind === 'volume' && { pattern: members[0]!.member }),
});
