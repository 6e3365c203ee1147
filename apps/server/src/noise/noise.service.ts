import type { NoiseAnswer, NoiseRow, PatternSummary } from '@flail/contract';
import { filterOf, type NoiseCell, noiseTogether } from '@flail/core';
import { Injectable } from '@nestjs/common';
import { missingBody, noEffort } from '../query/missing.js';
import { PatternsService } from '../query/patterns.service.js';
import { type Asked, Planner } from '../query/planner.js';
import { QueryPool } from '../query/query-pool.js';

const ROWS_SHOWN = 200;
const PATTERNS_READ = 5000;
const DAY = 86_400_000_000;
/** Lines that say again what others say are worth a word from this share on. */
const OFTEN_REPEATED = 0.5;
/** A pattern that is as common in both windows tells nothing of what differs. */
const LARGE_SHARE = 0.05;

/** Tells what lines cost, by pattern and source, and which may be left out. */
@Injectable()
export class NoiseService {
  constructor(
    private readonly planner: Planner,
    private readonly pool: QueryPool,
    private readonly patterns: PatternsService,
  ) {}

  async noise(asked: Asked): Promise<NoiseAnswer> {
    const plan = await this.planner.plan(asked);
    return this.planner.steadily(async () => {
      const effort = noEffort();
      const question = { kind: 'noise', window: asked.window } as const;
      const segments = this.planner.segmentsIn(asked.dataset, asked.window);
      const parts = await this.pool.ask<'noise'>(question, plan, segments, asked.signal, effort);
      const sources = new Map([...asked.dataset.contexts.values()].map(({ id, source }) => [id, source]));
      const grouped = new Map<string, { pattern: string; source: string; cells: NoiseCell[] }>();
      for (const cell of parts.flat()) {
        const pattern = plan.grouping.patterns.idOf(cell.layout);
        const source = sources.get(cell.context) ?? '';
        const key = JSON.stringify([pattern, source]);
        const known = grouped.get(key);
        if (known) known.cells.push(cell);
        else grouped.set(key, { pattern, source, cells: [cell] });
      }
      const measured = [...grouped.values()].map(({ cells, ...of }) => ({ ...of, ...noiseTogether(cells) }));
      const bytes = measured.reduce((sum, row) => sum + row.bytes, 0);
      const found = await this.patterns.search(asked, 'common', PATTERNS_READ);
      const known = new Map(found.patterns.map((pattern) => [pattern.id, pattern]));
      const days = (asked.window.to - asked.window.from) / DAY;
      const rows = measured
        .filter(({ pattern }) => known.has(pattern))
        .sort((a, b) => b.bytes - a.bytes)
        .map((row): NoiseRow => {
          const pattern = known.get(row.pattern)!;
          const { sentence, name, level } = pattern;
          return {
            ...row,
            sentence,
            ...(name !== undefined && { name }),
            level,
            savedPerDay: Math.round(row.bytes / days),
            reasons: reasonsOf(pattern, row, bytes),
            filter: filterOf(sentence),
          };
        });
      return {
        records: measured.reduce((sum, row) => sum + row.records, 0),
        bytes,
        rows: rows.slice(0, ROWS_SHOWN),
        more: measured.length - Math.min(rows.length, ROWS_SHOWN),
        ...missingBody(asked.dataset, effort),
      };
    });
  }
}

/** What speaks for leaving lines out. Warnings and errors are never called noise. */
function reasonsOf(
  { level, change }: PatternSummary,
  { bytes, repeated, records }: Pick<NoiseRow, 'bytes' | 'repeated' | 'records'>,
  all: number,
): string[] {
  if (level === 'warn' || level === 'error' || level === 'fatal') return [];
  const reasons: string[] = [];
  if (level === 'debug' || level === 'trace') reasons.push(`written at level ${level}`);
  if (repeated >= OFTEN_REPEATED && records > 1)
    reasons.push(`${Math.round(repeated * 100)}% of them say word for word what another says`);
  if (bytes / all >= LARGE_SHARE && change === 'as before')
    reasons.push('as common in the good time as in the bad one');
  return reasons;
}
