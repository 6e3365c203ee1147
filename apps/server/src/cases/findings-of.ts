import type {
  ContrastAnswer,
  OnsetsSearchAnswer,
  PatternsSearchAnswer,
  RequestsAnalysisAnswer,
  RequestsSearchAnswer,
} from '@flail/contract';
import type { Finding } from '@flail/core/cases';

const SHOWN_PATTERNS = 4;
const SHOWN_ONSETS = 6;
const SHOWN_SIGNATURES = 3;
const SHOWN_EARLY = 3;
const LEAST_SHARE = 0.5;

/** What goes wrong more than it did. */
export function impactOf(
  { focus, baseline, requests }: RequestsSearchAnswer,
  failingSince?: string,
): Finding[] {
  const all = focus.all.count;
  if (all === 0)
    return [{ kind: 'nothing', question: 'What goes wrong?', why: 'No requests are recorded in this time.' }];
  const share = (
    of: NonNullable<RequestsSearchAnswer['baseline']>,
    wrong: 'failed' | 'refused' | 'hidden',
  ): number => (of.all.count === 0 ? 0 : of.outcomes[wrong].count / of.all.count);
  const kinds = (['failed', 'refused', 'hidden'] as const)
    .map((wrong) => ({
      wrong,
      count: focus.outcomes[wrong].count,
      usual: baseline && baseline.kept > 0 ? share(baseline, wrong) : undefined,
    }))
    .filter(({ count, usual }) => count > 0 && count / all > 2 * (usual ?? 0));
  const slow = focus.slow.count / all;
  const usuallySlow =
    baseline && baseline.all.count > 0 ? baseline.slow.count / baseline.all.count : undefined;
  const found: Finding[] = kinds.map(({ wrong, count, usual }) => ({
    kind: 'impact',
    wrong,
    count,
    all,
    ...(usual !== undefined && { usual }),
    ...(wrong === 'failed' && failingSince !== undefined && { since: failingSince }),
  }));
  if (slow > 0.01 && slow > 2 * (usuallySlow ?? 0))
    found.push({
      kind: 'impact',
      wrong: 'slow',
      count: focus.slow.count,
      all,
      ...(usuallySlow !== undefined && { usual: usuallySlow }),
    });
  if (found.length > 0 || requests.length === 0) return found;
  return [
    { kind: 'nothing', question: 'What goes wrong?', why: 'No more requests than usual fail or are slow.' },
  ];
}

/** Where failing begins, and whom it is of. */
export function spreadOf({ spread, origins }: RequestsAnalysisAnswer): Finding[] {
  const subsets = spread.filter(({ verdict }) => verdict === 'a subset');
  const told = [
    subsets.find(({ field }) => field === 'instance'),
    subsets.find(({ service }) => service === undefined),
  ].filter((one) => one !== undefined);
  const [begins] = origins;
  return [
    ...(begins && begins.requests >= LEAST_SHARE * begins.of
      ? [
          {
            kind: 'begins' as const,
            service: begins.service,
            operation: begins.operation,
            share: begins.requests / begins.of,
          },
        ]
      : []),
    ...told.map(({ service, field, subset, members, carries }) => ({
      kind: 'spread' as const,
      ...(service !== undefined && { service }),
      field,
      subset,
      of: members.length,
      carries,
    })),
  ];
}

/** What lines are new. */
export function patternsOf({ patterns }: PatternsSearchAnswer): { finding: Finding; pattern: string }[] {
  const fresh = patterns
    .filter(({ change, surprise }) => (change === 'first seen' || change === 'new here') && surprise > 0)
    .slice(0, SHOWN_PATTERNS);
  if (fresh.length === 0)
    return [
      {
        finding: { kind: 'nothing', question: 'What is new in the logs?', why: 'No kind of line is new.' },
        pattern: '',
      },
    ];
  return fresh.map(({ id, sentence, services, focus, change, firstSeen, name }) => ({
    pattern: id,
    finding: {
      kind: 'pattern',
      pattern: id,
      text: name ?? sentence.map((part) => ('text' in part ? part.text : '…')).join(''),
      service: services[0] ?? 'something',
      count: focus,
      change: change === 'first seen' ? 'never seen before' : 'not seen in the baseline',
      ...(change === 'first seen' && { firstSeen }),
    },
  }));
}

/** What moved, the likeliest origins first. */
export function onsetsOf({ groups, origins }: OnsetsSearchAnswer): { finding: Finding; row: number }[] {
  if (groups.length === 0)
    return [
      {
        finding: { kind: 'nothing', question: 'What moved first?', why: 'Nothing left its normal range.' },
        row: -1,
      },
    ];
  return origins.slice(0, SHOWN_ONSETS).map(({ group, role, change }, place) => {
    const { service, measure, kind, onset, value, usual, silent } = groups[group]!;
    return {
      row: group,
      finding: {
        kind: 'onset',
        service: service === '' ? 'the whole' : service,
        measure,
        of: kind,
        time: onset,
        size: silent
          ? 'silent'
          : Math.abs(usual) < 1e-9
            ? 'from nothing'
            : `${Number((value / usual).toPrecision(2))} times the usual`,
        role,
        place: place + 1,
        ...(change !== undefined && { change }),
      },
    };
  });
}

/** What was changed before something moved. */
export function changesOf({ groups, changes }: OnsetsSearchAnswer): Finding[] {
  const near = changes.filter(({ then, kind }) => then !== undefined && kind !== 'restart');
  if (near.length === 0)
    return [
      {
        kind: 'nothing',
        question: 'What changed before it?',
        why: 'No change that was told of stands close before what moved.',
      },
    ];
  return near.map(({ id, title, service, time, then }) => {
    const group = groups[then!.group]!;
    return {
      kind: 'change',
      id,
      title,
      service,
      time,
      seconds: then!.seconds,
      before: `${group.service}, ${group.measure} moved`,
    };
  });
}

/** What sets those apart that go wrong. */
export function contrastOf({ signatures, early, lacking, onset, usual }: ContrastAnswer): Finding[] {
  const found: Finding[] = signatures.slice(0, SHOWN_SIGNATURES).map((signature) => ({
    kind: 'signature',
    text: signature.terms.map(termWords).join(' and '),
    terms: signature.terms.map(({ feature, values = [] }) => ({
      kind: feature.kind,
      name: feature.name,
      ...(feature.service !== undefined && { service: feature.service }),
      values,
    })),
    coverage: signature.coverage,
    purity: signature.purity,
    verdict: signature.verdict,
    check: signature.check.verdict,
    ...(usual && { usual }),
    ...(signature.expression !== undefined && { expression: signature.expression }),
    ...(signature.frame !== undefined && { frame: signature.frame }),
  }));
  const sharing = early.filter(({ shared }) => shared.length > 0);
  const near = sharing.length > 0 ? sharing : signatures.length > 0 ? early : [];
  for (const { pattern, text, service, time, shared } of near.slice(0, SHOWN_EARLY))
    found.push({ kind: 'early', pattern, text, service, time, shared: shared.map(({ value }) => value) });
  if (signatures.length === 0 && onset !== undefined)
    found.push({
      kind: 'nothing',
      question: 'What sets the failing apart?',
      why: `Nothing that is recorded does.${lacking.length === 0 ? '' : ` Not recorded: ${lacking.join('; ')}.`}`,
    });
  return found;
}

function termWords({
  feature,
  is,
  values = [],
  low,
  high,
}: ContrastAnswer['differences'][number]['term']): string {
  const of = feature.service === undefined ? '' : ` of ${feature.service}`;
  if (feature.kind === 'run') return `a run of ${feature.name} beside it`;
  if (feature.kind === 'pattern') return `${is === 'absent' ? 'no' : 'a'} line “${feature.name}”`;
  const name = feature.kind === 'calls' ? `calls of “${feature.name}”${of}` : `${feature.name}${of}`;
  if (is === 'in') return `${name} ${values.join(' or ')}`;
  if (is === 'range')
    return `${name} ${[low === undefined ? '' : `from ${low}`, high === undefined ? '' : `below ${high}`].filter(Boolean).join(' ')}`;
  return `${name} ${is === 'absent' ? 'missing' : 'there'}`;
}
