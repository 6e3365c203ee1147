import type {
  ContrastAnswer,
  FindingBody,
  InvestigationAnswer,
  InvestigationNews,
  OnsetsSearchAnswer,
  PatternsSearchAnswer,
  RequestsAnalysisAnswer,
  RequestsSearchAnswer,
  TimelineEntry,
} from '@flail/contract';
import { conclude, type Finding, findingText } from '@flail/core/cases';
import { momentText } from '@flail/core/time';
import { Injectable } from '@nestjs/common';
import { ContrastService } from '../contrast/contrast.service.js';
import { OnsetsService } from '../onsets/onsets.service.js';
import { PatternsService } from '../query/patterns.service.js';
import type { Asked } from '../query/planner.js';
import { RequestsService } from '../requests/requests.service.js';

const NEW_PATTERNS = 60;
const SHOWN_PATTERNS = 4;
const SHOWN_ONSETS = 6;
const SHOWN_SIGNATURES = 3;
const SHOWN_EARLY = 3;
const LEAST_SHARE = 0.5;

/** Asks the standard questions in their order, and concludes from what they bring. */
@Injectable()
export class InvestigationService {
  constructor(
    private readonly requests: RequestsService,
    private readonly patterns: PatternsService,
    private readonly onsets: OnsetsService,
    private readonly contrasts: ContrastService,
  ) {}

  async investigate(asked: Asked, tell?: (news: InvestigationNews) => void): Promise<InvestigationAnswer> {
    const findings: { finding: Finding; address: string }[] = [];
    const base = addressOf(asked);
    const at = (path: string, more: Record<string, string> = {}): string =>
      `${path}?${new URLSearchParams({ ...base, ...more }).toString()}`;
    const steps: { question: string; ask: () => Promise<{ finding: Finding; address: string }[]> }[] = [
      {
        question: 'What goes wrong, since when, and how much of it?',
        ask: async () => {
          const [search, analysis] = await Promise.all([
            this.requests.search(asked, { preset: 'all', order: 'oldest', limit: 1, offset: 0, steps: 60 }),
            this.requests.analysis(asked, {}),
          ]);
          return [
            ...impactOf(search).map((finding) => ({
              finding,
              address: at('/requests', { which: 'failed' }),
            })),
            ...spreadOf(analysis).map((finding) => ({
              finding,
              address: at('/requests', { show: 'behind' }),
            })),
          ];
        },
      },
      {
        question: 'What is new in the logs?',
        ask: async () => {
          if (!asked.baseline)
            return [
              nothing('What is new in the logs?', 'There is no baseline to tell it by.', at('/patterns')),
            ];
          const found = await this.patterns.search(asked, 'surprise', NEW_PATTERNS);
          return patternsOf(found).map(({ finding, pattern }) => ({
            finding,
            address: at('/patterns', pattern === '' ? {} : { scope: `pattern ${pattern}` }),
          }));
        },
      },
      {
        question: 'What moved first, and what changed before it?',
        ask: async () => {
          const found = await this.onsets.search(asked);
          return [
            ...onsetsOf(found).map(({ finding, row }) => ({
              finding,
              address: at('/onsets', row < 0 ? {} : { row: String(row) }),
            })),
            ...changesOf(found).map((finding) => ({
              finding,
              address: at('/changes', finding.kind === 'change' ? { change: finding.id } : {}),
            })),
          ];
        },
      },
      {
        question: 'What sets the failing apart from the healthy?',
        ask: async () => {
          const found = await this.contrasts.contrast(asked, {});
          return contrastOf(found).map((finding) => ({ finding, address: at('/contrast') }));
        },
      },
    ];
    const told = (): FindingBody[] =>
      findings.map(({ finding, address }) => ({
        kind: finding.kind,
        text: findingText(finding),
        address,
        told: { ...finding },
      }));
    for (const [done, { question, ask }] of steps.entries()) {
      asked.signal?.throwIfAborted();
      tell?.({ question, done, of: steps.length, findings: told() });
      findings.push(...(await ask()));
    }
    const { causes, doubt, next } = conclude(findings.map(({ finding }) => finding));
    return {
      findings: told(),
      conclusion: {
        causes: causes.map(({ score: _, evidence, ...cause }) => ({
          ...cause,
          evidence: evidence.map(({ finding, for: speaks }) => ({ finding, for: speaks })),
        })),
        doubt,
        next,
      },
      timeline: timelineOf(findings.map(({ finding }) => finding)),
    };
  }
}

/** The parameters of a view with the windows and the scope of a question. */
function addressOf({ dataset, window, baseline, scope }: Asked): Record<string, string> {
  const span = ({ from, to }: { from: number; to: number }): string =>
    `${momentText(from)}~${momentText(to)}`;
  return {
    ...(dataset.key !== 'live' && { data: dataset.key }),
    focus: span(window),
    ...(baseline && { against: 'free', baseline: span(baseline) }),
    ...(scope !== '' && { scope }),
  };
}

const nothing = (question: string, why: string, address: string): { finding: Finding; address: string } => ({
  finding: { kind: 'nothing', question, why },
  address,
});

function impactOf({ focus, baseline, requests }: RequestsSearchAnswer): Finding[] {
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

function spreadOf({ spread, origins }: RequestsAnalysisAnswer): Finding[] {
  const subset = spread.find(({ verdict, field }) => verdict === 'a subset' && field === 'instance');
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
    ...(subset
      ? [
          {
            kind: 'spread' as const,
            ...(subset.service !== undefined && { service: subset.service }),
            field: subset.field,
            subset: subset.subset,
            of: subset.members.length,
            carries: subset.carries,
          },
        ]
      : []),
  ];
}

function patternsOf({ patterns }: PatternsSearchAnswer): { finding: Finding; pattern: string }[] {
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

function onsetsOf({ groups, origins }: OnsetsSearchAnswer): { finding: Finding; row: number }[] {
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

function changesOf({ groups, changes }: OnsetsSearchAnswer): Finding[] {
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
      before: `${group.service}, ${group.measure}`,
    };
  });
}

function contrastOf({ signatures, early, lacking, onset }: ContrastAnswer): Finding[] {
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

/** What happened when, by stages, as far as the findings have a time. */
function timelineOf(findings: readonly Finding[]): TimelineEntry[] {
  const entry = (stage: TimelineEntry['stage'], time: string, finding: Finding): TimelineEntry => ({
    stage,
    time,
    text: findingText(finding),
    found: true,
  });
  return findings
    .flatMap((finding): TimelineEntry[] => {
      switch (finding.kind) {
        case 'change':
          return [entry('before', finding.time, finding)];
        case 'early':
          return finding.shared.length > 0 ? [entry('before', finding.time, finding)] : [];
        case 'onset':
          return [entry(finding.place === 1 ? 'first sign' : 'spread', finding.time, finding)];
        case 'pattern':
          return finding.firstSeen === undefined ? [] : [entry('spread', finding.firstSeen, finding)];
        default:
          return [];
      }
    })
    .sort((a, b) => (a.time < b.time ? -1 : 1));
}
