import type { CaseContents, PinBody } from '@flail/contract';
import { SHORTEST_REDACTED, type Window } from '@flail/core';
import { microsOf } from '@flail/core/time';
import { Injectable } from '@nestjs/common';
import { plainToInstance } from 'class-transformer';
import { validate } from 'class-validator';
import { createHmac, randomBytes } from 'node:crypto';
import type { Readable } from 'node:stream';
import type { Asker } from '../access/asker.js';
import { BundleWriter } from '../bundles/bundle-writer.js';
import { CASE } from '../bundles/manifest.js';
import { PAST } from '../onsets/series-asked.service.js';
import { badRequest } from '../problems/problem.js';
import { addressOf } from '../query/address.js';
import type { Asked } from '../query/planner.js';
import { QueryService } from '../query/query.service.js';
import { type Dataset, RecordStore } from '../store/record-store.js';
import { CarriedCaseDto } from './cases.dto.js';
import { CasesService } from './cases.service.js';
import { ReportService } from './report.service.js';

/** Values of one field that can be replaced. */
const MOST_VALUES = 50_000;
/** Letters of a replacement that tell values apart. */
const DIGITS = 8;

/** Carries a case from one installation to another, with the data that it is about. */
@Injectable()
export class CaseTransfer {
  constructor(
    private readonly cases: CasesService,
    private readonly reports: ReportService,
    private readonly store: RecordStore,
    private readonly queries: QueryService,
    private readonly writer: BundleWriter,
  ) {}

  /** A case as a bundle: the records of its windows, its findings and pins, its report. */
  async write(
    id: number,
    asker: Asker,
    redact: readonly string[],
  ): Promise<{ name: string; archive: Readable }> {
    const { name, contents } = await this.cases.inFull(id);
    const { window, baseline, scope } = contents;
    if (!window)
      throw badRequest(
        'no-window',
        'This case has no time that it is about yet; investigate something first.',
      );
    const dataset = this.store.dataset(contents.dataset);
    const asked: Asked = {
      asker,
      dataset,
      window: { from: microsOf(window.from), to: microsOf(window.to) },
      ...(baseline && { baseline: { from: microsOf(baseline.from), to: microsOf(baseline.to) } }),
      scope,
    };
    const reach: Window = {
      from: Math.min(asked.window.from, asked.baseline?.from ?? Infinity),
      to: Math.max(asked.window.to, asked.baseline?.to ?? 0),
    };
    const redacted = await this.redactedNames({ ...asked, window: reach, scope: '' }, redact);
    const pins = (await this.cases.pins(id)).map(({ kind, title, address, note, seen }) => ({
      kind,
      title,
      address,
      note,
      ...(seen && { seen }),
    }));
    const view = addressOf(asked, '').replace(/^\?/, '');
    const archive = await this.writer.write(dataset, name, reach, view, {
      past: PAST,
      ...(redacted.size > 0 && { redacted }),
      files: [
        { file: CASE, content: { name, contents, pins } },
        { file: 'report.md', content: await this.reports.text(id, asker) },
        { file: 'report.html', content: await this.reports.html(id, asker) },
      ],
    });
    return { name, archive };
  }

  /** Makes the case that came with a bundle, about the data set that was made of it. */
  async take(text: string, dataset: Dataset): Promise<{ id: number; name: string }> {
    const carried = plainToInstance(CarriedCaseDto, jsonOf(text));
    if ((await validate(carried)).length > 0)
      throw badRequest('case', `${CASE} is no case that can be read; nothing of the bundle was kept.`);
    const { name, contents, pins } = carried;
    const own = { ...contents, dataset: dataset.key } as CaseContents;
    const { id } = await this.cases.make(name);
    await this.cases.change(id, {
      contents: {
        ...own,
        findings: own.findings.map((finding) => ({ ...finding, address: within(finding.address, dataset) })),
      },
    });
    // The newest is told first, so that the oldest has to come first.
    for (const pin of [...(pins as PinBody[])].reverse())
      await this.cases.pin(id, { ...pin, address: within(pin.address, dataset) });
    return { id, name };
  }

  /**
   * What the values of fields are replaced by: the same value always by the same, so that it can still be told what
   * belongs together. The key that makes them is thrown away.
   */
  private async redactedNames(asked: Asked, fields: readonly string[]): Promise<Map<string, string>> {
    const key = randomBytes(32);
    const names = new Map<string, string>();
    const spans = { ...asked, dataset: await this.store.spansOf(asked.dataset) };
    for (const field of fields)
      for (const own of [asked, spans]) {
        const { values = [] } = await this.queries.complete(own, field, '', MOST_VALUES + 1);
        if (values.length > MOST_VALUES)
          throw badRequest(
            'too-many-values',
            `${field} has more than ${MOST_VALUES} values in this time, which is more than can be redacted.`,
          );
        for (const { value } of values)
          if (value.length >= SHORTEST_REDACTED) {
            const name = pseudonym(field, value, key);
            for (const form of formsOf(value)) names.set(form, name);
          }
      }
    return names;
  }
}

/** A value as it stands by itself, in JSON, and in addresses. */
const formsOf = (value: string): string[] => [
  value,
  JSON.stringify(value).slice(1, -1),
  encodeURIComponent(value),
  new URLSearchParams({ '': value }).toString().slice(1),
];

/** A number stays a number of as many digits; anything else is named after its field. */
function pseudonym(field: string, value: string, key: Buffer): string {
  const hash = createHmac('sha256', key).update(`${field}\n${value}`).digest('hex');
  if (/^\d+$/.test(value))
    return `9${BigInt(`0x${hash}`)
      .toString()
      .slice(0, value.length - 1)}`;
  return `${field.split('.').at(-1)!}-${hash.slice(0, DIGITS)}`;
}

/** An address with the data set that it is looked at in. */
function within(address: string, { key }: Dataset): string {
  const [path = '', text = ''] = address.split('?');
  const parameters = new URLSearchParams(text);
  parameters.set('data', key);
  return `${path}?${parameters.toString()}`;
}

function jsonOf(text: string): object {
  try {
    return Object(JSON.parse(text)) as object;
  } catch {
    return {};
  }
}
