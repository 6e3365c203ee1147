import type { FindingBody, InvestigationAnswer, InvestigationNews, TimelineEntry } from '@flail/contract';
import { conclude, type Finding, findingText } from '@flail/core/cases';
import { Injectable } from '@nestjs/common';
import { ContrastService } from '../contrast/contrast.service.js';
import { OnsetsService } from '../onsets/onsets.service.js';
import { addressOf } from '../query/address.js';
import { PatternsService } from '../query/patterns.service.js';
import type { Asked } from '../query/planner.js';
import { RequestsService } from '../requests/requests.service.js';
import { changesOf, contrastOf, impactOf, onsetsOf, patternsOf, spreadOf } from './findings-of.js';

const NEW_PATTERNS = 60;

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
    const at = (path: string, more?: Record<string, string>): string => addressOf(asked, path, more);
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

const nothing = (question: string, why: string, address: string): { finding: Finding; address: string } => ({
  finding: { kind: 'nothing', question, why },
  address,
});

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
