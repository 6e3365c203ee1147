import type { FindingBody, InvestigationAnswer, InvestigationNews, TimelineEntry } from '@flail/contract';
import { conclude, type Finding, findingText } from '@flail/core/cases';
import { Injectable } from '@nestjs/common';
import { windowBody } from '../query/moments.js';
import type { Asked } from '../query/planner.js';
import type { Found } from './inquiry.js';
import { RequestInquiry } from './request-inquiry.js';
import { RunInquiry } from './run-inquiry.js';

/** Asks the standard questions in their order, and concludes from what they bring. */
@Injectable()
export class InvestigationService {
  constructor(
    private readonly requests: RequestInquiry,
    private readonly runs: RunInquiry,
  ) {}

  /** @param job whose runs it is about; of requests where none is named */
  async investigate(
    asked: Asked,
    job: string,
    tell?: (news: InvestigationNews) => void,
  ): Promise<InvestigationAnswer> {
    const findings: Found[] = [];
    const { steps, baseline } = job === '' ? this.requests.of(asked) : this.runs.of(asked, job);
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
    const good = baseline?.();
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
      ...(good && { baseline: windowBody(good) }),
    };
  }
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
        case 'runs':
          return finding.since === undefined ? [] : [entry('first sign', finding.since, finding)];
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
