import type { CaseAnswer, Pin, RecoveryAnswer } from '@flail/contract';
import { answeringChanges } from '@flail/core/changes';
import { chartSvg, type Finding, type ReportCase, reportMarkdown } from '@flail/core/cases';
import { wrongByStep } from '@flail/core/runs';
import { microsOf } from '@flail/core/time';
import { Injectable } from '@nestjs/common';
import MarkdownIt from 'markdown-it';
import type { Asker } from '../access/asker.js';
import { ChangesService } from '../events/changes.service.js';
import { PlotsService } from '../plots/plots.service.js';
import type { Asked } from '../query/planner.js';
import { RunsService } from '../runs/runs.service.js';
import { stepsIn } from '../series/series-query.service.js';
import { RecordStore } from '../store/record-store.js';
import { CasesService } from './cases.service.js';
import { RecoveryService } from './recovery.service.js';

/** Series that a report shows of every case. */
const CHARTS = [
  { figure: 'failed', title: 'Share of requests that fail' },
  { figure: 'p95', title: 'Duration that 95% of requests are under' },
] as const;
const POINTS = 180;
const MOST_CHANGES = 1000;
/** Runs are few: each step of their share has to hold some. */
const RUN_POINTS = 36;

type ChangeFinding = Extract<Finding, { kind: 'change' }>;
type Drawn = Omit<Parameters<typeof chartSvg>[0], 'focus'>;

/** Writes a case down for somebody who was not there. */
@Injectable()
export class ReportService {
  private readonly markdown = new MarkdownIt({ html: false, linkify: false });

  constructor(
    private readonly cases: CasesService,
    private readonly recoveries: RecoveryService,
    private readonly plots: PlotsService,
    private readonly runs: RunsService,
    private readonly changes: ChangesService,
    private readonly store: RecordStore,
  ) {}

  async json(id: number): Promise<{ case: CaseAnswer; pins: Pin[] }> {
    return { case: await this.cases.inFull(id), pins: await this.cases.pins(id) };
  }

  async text(id: number, asker: Asker): Promise<string> {
    return reportMarkdown(await this.reportCase(id, asker));
  }

  /** A page that stands alone: styles and charts are in it, and nothing is asked from outside. */
  async html(id: number, asker: Asker): Promise<string> {
    const of = await this.reportCase(id, asker);
    const charts = await this.charts(id, asker);
    const body = this.markdown.render(reportMarkdown(of));
    const title = this.markdown.utils.escapeHtml(of.name);
    return `<!doctype html><html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>${title}</title><style>${STYLE}</style></head><body>${body.replace('</h1>', `</h1>${charts}`)}</body></html>\n`;
  }

  private async charts(id: number, asker: Asker): Promise<string> {
    const { contents } = await this.cases.inFull(id);
    const { window, baseline, dataset, job } = contents;
    if (!window) return '';
    const focus = { from: microsOf(window.from), to: microsOf(window.to) };
    const asked = {
      asker,
      dataset: this.store.dataset(dataset),
      window: focus,
      scope: contents.scope,
      ...(baseline && { baseline: { from: microsOf(baseline.from), to: microsOf(baseline.to) } }),
    };
    const lead = (focus.to - focus.from) / 2e6;
    const drawn = await (job === '' ? this.requestCharts(asked, lead) : this.runCharts(asked, job, lead));
    return drawn
      .filter(({ values }) => values.some((value) => value !== null))
      .map((chart) => chartSvg({ ...chart, focus: { from: focus.from / 1e6, to: focus.to / 1e6 } }))
      .map((svg) => `<figure>${svg}</figure>`)
      .join('');
  }

  private requestCharts(asked: Asked, lead: number): Promise<Drawn[]> {
    return Promise.all(
      CHARTS.map(async ({ figure, title }): Promise<Drawn> => {
        const { unit, from, step, lines } = await this.plots.plot(
          asked,
          { of: 'requests', figure },
          { points: POINTS, lead, normal: false, ghosts: [] },
        );
        return { title, unit, from: microsOf(from) / 1e6, step, values: lines[0]?.values ?? [] };
      }),
    );
  }

  private async runCharts({ dataset, asker, window }: Asked, job: string, lead: number): Promise<Drawn[]> {
    const steps = stepsIn({ from: window.from - lead * 1e6, to: window.to }, RUN_POINTS);
    const span = { from: steps.from, to: steps.from + steps.width * steps.count };
    const counts = wrongByStep(await this.runs.plain(dataset, asker, span, { job }), steps);
    return [
      {
        title: `Share of the runs of ${job} that go wrong`,
        unit: 'share',
        from: steps.from / 1e6,
        step: steps.width / 1e6,
        values: counts.map(({ wrong, all }) => (all === 0 ? null : wrong / all)),
      },
    ];
  }

  private async reportCase(id: number, asker: Asker): Promise<ReportCase> {
    const { name, at, contents } = await this.cases.inFull(id);
    const { status, owner, window, findings, conclusion, hypotheses, timeline, remedies, notes } = contents;
    const pins = await this.cases.pins(id);
    const recovery = await this.recovery(contents, asker);
    const said = (places: readonly { finding: number; for: boolean }[], speaks: boolean): string[] =>
      places.filter((one) => one.for === speaks).flatMap(({ finding }) => findings[finding]?.text ?? []);
    return {
      name,
      status,
      owner,
      opened: at,
      ...(window && { window }),
      findings,
      causes: (conclusion?.causes ?? []).map(({ text, certainty, evidence, temporary, lasting }) => ({
        text,
        certainty,
        for: said(evidence, true),
        against: said(evidence, false),
        temporary,
        lasting,
      })),
      doubt: conclusion?.doubt ?? [],
      next: conclusion?.next ?? [],
      hypotheses,
      timeline,
      remedies,
      ...(await this.changed(
        contents,
        asker,
        recovery?.since === undefined ? undefined : microsOf(recovery.since),
      )),
      recovery: recoveryText(recovery, contents.job),
      notes,
      pins: [...pins].reverse(),
    };
  }

  /** What was changed since then about the changes that were found, and of the same services without that. */
  private async changed(
    { window, dataset, findings }: CaseAnswer['contents'],
    asker: Asker,
    recovered?: number,
  ): Promise<Pick<ReportCase, 'changed' | 'moreChanged'>> {
    const found = findings.flatMap(({ kind, told }) =>
      kind === 'change' ? [told as unknown as ChangeFinding] : [],
    );
    const [first] = found.map(({ time }) => microsOf(time)).sort((a, b) => a - b);
    if (!window || first === undefined) return { changed: [], moreChanged: 0 };
    const own = this.store.dataset(dataset);
    const until = Math.max(microsOf(window.to), this.store.shown(own)?.to ?? 0);
    const { changes } = await this.changes.search(own, asker, { from: first, to: until }, MOST_CHANGES);
    const services = new Set(found.map(({ service }) => service));
    const known = new Set(found.map(({ id }) => id));
    const set = changes
      .filter(({ entity, kind }) => kind !== 'restart' && services.has(entity.service ?? ''))
      .map((change) => ({ ...change, service: change.entity.service!, at: microsOf(change.time) }));
    const later = set.filter(({ id }) => !known.has(id));
    const about = answeringChanges(
      set.filter(({ id }) => known.has(id)),
      later,
      recovered,
    );
    const byId = new Map(later.map((change) => [change.id, change]));
    return {
      changed: about.map(({ id, ...how }) => {
        const { time, title, details } = byId.get(id)!;
        return { time, title, by: byOf(details), ...how };
      }),
      moreChanged: later.length - about.length,
    };
  }

  private async recovery(
    { window, baseline, dataset, scope, job }: CaseAnswer['contents'],
    asker: Asker,
  ): Promise<RecoveryAnswer | undefined> {
    if (!window || !baseline) return undefined;
    const asked = {
      asker,
      dataset: this.store.dataset(dataset),
      window: { from: microsOf(window.from), to: microsOf(window.to) },
      baseline: { from: microsOf(baseline.from), to: microsOf(baseline.to) },
      scope,
    };
    return this.recoveries.recovery(asked, job);
  }
}

function recoveryText(recovery: RecoveryAnswer | undefined, job: string): string {
  if (!recovery) return 'Whether it has ended was not looked at.';
  const { state, since, share, usual, all } = recovery;
  const [items, wrong] = job === '' ? ['requests', 'failed'] : [`runs of ${job}`, 'went wrong'];
  const percent = (of: number): string => `${(100 * of).toFixed(of < 0.1 ? 1 : 0)}%`;
  switch (state) {
    case 'recovered':
      return `Recovered since ${since!.slice(0, 16).replace('T', ' ')} UTC: ${percent(share)} of ${all} ${items} ${wrong} since then, ${percent(usual)} is usual.`;
    case 'goes on':
      return `It went on when this was written: ${percent(share)} of the last ${all} ${items} ${wrong}, ${percent(usual)} is usual.`;
    case 'too early to say':
      return `Whether it has ended was too early to say when this was written: ${percent(share)} of the last ${all} ${items} ${wrong}.`;
  }
}

/** Who made a change, where its sender tells. */
function byOf(details: unknown): string {
  const { by } = (details ?? {}) as { by?: unknown };
  return typeof by === 'string' ? by : '';
}

const STYLE = [
  'body{font:15px/1.5 system-ui,sans-serif;max-width:46rem;margin:2rem auto;padding:0 1rem;color:#22282f;background:#fdfcf9}',
  'h1{font-size:1.6rem}h2{font-size:1.15rem;margin-top:1.8rem;border-bottom:1px solid #dcd7cb}h3{font-size:1rem}',
  'code,pre{font-family:ui-monospace,monospace;font-size:.9em}figure{margin:1rem 0}svg{max-width:100%;height:auto}',
  '@media screen and (prefers-color-scheme:dark){html{color-scheme:dark}body{color:#d7dbdd;background:#15191b}h2{border-color:#384044}path[stroke="#0b6e6e"]{stroke:#5cc0bb}rect{fill:#5cc0bb;opacity:.14}path[stroke="#dcd7cb"]{stroke:#465055}}',
  'li{margin:.2rem 0;overflow-wrap:anywhere}@media print{body{margin:0;max-width:none;background:#fff}h2,h3{break-after:avoid}figure,li{break-inside:avoid}}',
].join('');
