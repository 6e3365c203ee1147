import { Injectable } from '@nestjs/common';
import { ContrastService } from '../contrast/contrast.service.js';
import { OnsetsService } from '../onsets/onsets.service.js';
import { addressOf } from '../query/address.js';
import { PatternsService } from '../query/patterns.service.js';
import type { Asked } from '../query/planner.js';
import { RequestsService } from '../requests/requests.service.js';
import { changesOf, contrastOf, impactOf, onsetsOf, patternsOf, spreadOf } from './findings-of.js';
import type { Found, Inquiry } from './inquiry.js';

const NEW_PATTERNS = 60;

/** The standard questions of requests that go wrong. */
@Injectable()
export class RequestInquiry {
  constructor(
    private readonly requests: RequestsService,
    private readonly patterns: PatternsService,
    private readonly onsets: OnsetsService,
    private readonly contrasts: ContrastService,
  ) {}

  of(asked: Asked): Inquiry {
    const at = (path: string, more?: Record<string, string>): string => addressOf(asked, path, more);
    const steps: Inquiry['steps'] = [
      {
        question: 'What goes wrong, since when, and how much of it?',
        ask: async () => {
          const [search, analysis] = await Promise.all([
            this.requests.search(asked, { preset: 'all', order: 'oldest', limit: 1, offset: 0, steps: 60 }),
            this.requests.analysis(asked, {}),
          ]);
          return [
            ...impactOf(search, analysis.failingSince).map((finding) => ({
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
    return { steps };
  }
}

const nothing = (question: string, why: string, address: string): Found => ({
  finding: { kind: 'nothing', question, why },
  address,
});
