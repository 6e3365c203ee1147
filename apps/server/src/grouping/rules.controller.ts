import type { CorrectionPreview, KeptCorrection, KeptMark, RulesBundle } from '@flail/contract';
import { type Correction, type Grouping, type Mark, MARK_WEIGHTS, slotForm } from '@flail/core';
import { Body, Controller, Delete, Get, HttpCode, Param, ParseIntPipe, Post, Query } from '@nestjs/common';
import { ApiOperation, ApiTags } from '@nestjs/swagger';
import { badRequest } from '../problems/problem.js';
import { type Dataset, RecordStore } from '../store/record-store.js';
import { DatasetQueryDto } from '../system/dataset-query.dto.js';
import { GroupingService } from './grouping.service.js';
import { CorrectionDto, MarkDto, RulesBundleDto } from './rules.dto.js';
import { type Kept, type RuleKind, RulesService } from './rules.service.js';

/** Corrections of the grouping and marks: given, listed, taken back, carried elsewhere. */
@ApiTags('patterns')
@Controller('api/v1')
export class RulesController {
  constructor(
    private readonly rules: RulesService,
    private readonly groupings: GroupingService,
    private readonly store: RecordStore,
  ) {}

  @Get('corrections')
  @ApiOperation({ summary: 'Corrections of the grouping, those taken back included' })
  async corrections(@Query() { dataset }: DatasetQueryDto): Promise<{ corrections: KeptCorrection[] }> {
    const kept = await this.rules.list<Correction>('corrections', this.store.dataset(dataset));
    return { corrections: kept.map(keptBody) };
  }

  @Post('corrections')
  @ApiOperation({ summary: 'Corrects the grouping; holds for what is stored and for what will come' })
  async correct(@Body() body: CorrectionDto, @Query() { dataset }: DatasetQueryDto): Promise<KeptCorrection> {
    const own = this.store.dataset(dataset);
    const rule = correctionOf(body, await this.groupings.current(own));
    return keptBody((await this.rules.add('corrections', own, [rule]))[0]!);
  }

  @Post('corrections/preview')
  @HttpCode(200)
  @ApiOperation({ summary: 'What a correction would join or part, without making it' })
  async preview(
    @Body() body: CorrectionDto,
    @Query() { dataset }: DatasetQueryDto,
  ): Promise<CorrectionPreview> {
    const own = this.store.dataset(dataset);
    const before = await this.groupings.current(own);
    const rule = correctionOf(body, before);
    const after = await this.groupings.withCorrections(own, [...(await this.rules.corrections(own)), rule]);
    return previewOf(own, before, after, rule);
  }

  @Delete('corrections/:id')
  @HttpCode(204)
  @ApiOperation({ summary: 'Takes a correction back' })
  undoCorrection(
    @Param('id', ParseIntPipe) id: number,
    @Query() { dataset }: DatasetQueryDto,
  ): Promise<void> {
    return this.rules.setUndone('corrections', this.store.dataset(dataset), id, true);
  }

  @Post('corrections/:id/redo')
  @HttpCode(204)
  @ApiOperation({ summary: 'Gives a correction again that was taken back' })
  redoCorrection(
    @Param('id', ParseIntPipe) id: number,
    @Query() { dataset }: DatasetQueryDto,
  ): Promise<void> {
    return this.rules.setUndone('corrections', this.store.dataset(dataset), id, false);
  }

  @Get('corrections/export')
  @ApiOperation({ summary: 'The corrections and marks that hold, to be carried to another store' })
  async export(@Query() { dataset }: DatasetQueryDto): Promise<RulesBundle> {
    const own = this.store.dataset(dataset);
    return {
      version: 1,
      corrections: [...(await this.rules.corrections(own))],
      marks: (await this.rules.marks(own)).map(markBody),
    };
  }

  @Post('corrections/import')
  @HttpCode(200)
  @ApiOperation({ summary: 'Takes in corrections and marks; those that hold already are not doubled' })
  async import(
    @Body() bundle: RulesBundleDto,
    @Query() { dataset }: DatasetQueryDto,
  ): Promise<{ corrections: number; marks: number }> {
    const own = this.store.dataset(dataset);
    const grouping = await this.groupings.current(own);
    const corrections = bundle.corrections.map((body) => correctionOf(body, grouping, true));
    const add = async <T extends Correction | Mark>(
      kind: RuleKind,
      rules: T[],
      holding: readonly unknown[],
    ): Promise<number> => {
      const known = new Set(holding.map((rule) => JSON.stringify(rule)));
      return (
        await this.rules.add(
          kind,
          own,
          rules.filter((rule) => !known.has(JSON.stringify(rule))),
        )
      ).length;
    };
    return {
      corrections: await add('corrections', corrections, await this.rules.corrections(own)),
      marks: await add('marks', bundle.marks.map(markOf), await this.rules.marks(own)),
    };
  }

  @Get('marks')
  @ApiOperation({ summary: 'Marks of patterns, those taken back included' })
  async marks(@Query() { dataset }: DatasetQueryDto): Promise<{ marks: KeptMark[] }> {
    const kept = await this.rules.list<Mark>('marks', this.store.dataset(dataset));
    return { marks: kept.map((mark) => ({ ...keptBody(mark), rule: markBody(mark.rule) })) };
  }

  @Post('marks')
  @ApiOperation({ summary: 'Marks a pattern as known, worth reading or muted' })
  async mark(@Body() body: MarkDto, @Query() { dataset }: DatasetQueryDto): Promise<KeptMark> {
    const own = this.store.dataset(dataset);
    if (!find(await this.groupings.current(own), body.pattern))
      throw badRequest('no-such-pattern', `There is no pattern "${body.pattern}" in this data set.`);
    const kept = (await this.rules.add('marks', own, [markOf(body)]))[0]!;
    return { ...keptBody(kept), rule: markBody(kept.rule) };
  }

  @Delete('marks/:id')
  @HttpCode(204)
  @ApiOperation({ summary: 'Takes a mark back' })
  undoMark(@Param('id', ParseIntPipe) id: number, @Query() { dataset }: DatasetQueryDto): Promise<void> {
    return this.rules.setUndone('marks', this.store.dataset(dataset), id, true);
  }
}

const keptBody = <T>({
  id,
  rule,
  at,
  undoneAt,
}: Kept<T>): { id: number; rule: T; at: string; undoneAt?: string } => ({
  id,
  rule,
  at: at.toISOString(),
  ...(undoneAt && { undoneAt: undoneAt.toISOString() }),
});

const markBody = ({ until, ...mark }: Mark): RulesBundle['marks'][number] => ({
  ...mark,
  ...(until !== undefined && { until: new Date(until / 1000).toISOString() }),
});

const markOf = ({ kind, pattern, reason, weight, until }: MarkDto): Mark => ({
  kind,
  pattern,
  reason: reason ?? '',
  weight: weight ?? MARK_WEIGHTS[kind],
  ...(until !== undefined && { until: Date.parse(until) * 1000 }),
});

const find = (grouping: Grouping, ref: string): ReturnType<Grouping['patterns']['find']> =>
  grouping.patterns.find(grouping.named(ref) ?? ref);

/** The rule that a body means. Rules that are carried here may speak of patterns that have not come yet. */
function correctionOf(body: CorrectionDto, grouping: Grouping, carried = false): Correction {
  const known = (ref: string): string => {
    const pattern = find(grouping, ref);
    if (!pattern && !carried)
      throw badRequest('no-such-pattern', `There is no pattern "${ref}" in this data set.`);
    return pattern && !carried ? pattern.id : ref;
  };
  switch (body.kind) {
    case 'join':
      return { kind: 'join', patterns: body.patterns!.map(known) };
    case 'slot': {
      const pattern = known(body.pattern!);
      if (body.form !== undefined) return { kind: 'slot', pattern, form: body.form };
      const forms = grouping.patterns.find(pattern)!.layouts.flatMap((layout) => {
        const form = slotForm(layout, body.word!, body.occurrence);
        return form === undefined ? [] : [form];
      });
      if (forms.length === 0)
        throw badRequest('no-such-word', `"${body.word!}" is no constant word of the pattern ${pattern}.`);
      return { kind: 'slot', pattern, form: forms[0]! };
    }
    case 'split': {
      const pattern = known(body.pattern!);
      const own = grouping.patterns.find(pattern);
      const slots = own ? grouping.patterns.slotsOf(own).types.length : Infinity;
      if (body.slot! >= slots && !carried)
        throw badRequest('no-such-slot', `The pattern ${pattern} has ${slots} slots, counted from 0.`);
      return { kind: 'split', pattern, slot: body.slot!, ...(body.values && { values: body.values }) };
    }
    case 'apart':
      return { kind: 'apart', pattern: known(body.pattern!), layout: body.layout! };
    case 'name':
      return { kind: 'name', pattern: known(body.pattern!), name: body.name! };
  }
}

/** Which patterns a correction would change, and how many records they hold. */
function previewOf(dataset: Dataset, before: Grouping, after: Grouping, rule: Correction): CorrectionPreview {
  const from = new Set<string>();
  const to = new Set<string>();
  let records = 0;
  const changed = new Set<string>();
  const membersOf = (grouping: Grouping, layout: number): string =>
    grouping.patterns
      .all()
      .get(grouping.patterns.idOf(layout))!
      .layouts.map(({ id }) => id)
      .join(' ');
  for (const { id } of dataset.layouts.slice(
    0,
    [...before.patterns.all().values()].reduce((sum, { layouts }) => sum + layouts.length, 0),
  )) {
    const [old, now] = [before.patterns.idOf(id), after.patterns.idOf(id)];
    if (!changed.has(old) && membersOf(before, id) === membersOf(after, id)) continue;
    changed.add(old);
    from.add(old);
    to.add(now);
    records += dataset.layoutRecords[id] ?? 0;
  }
  if (rule.kind === 'split') {
    const pattern = before.patterns.find(rule.pattern)!;
    from.add(pattern.id);
    records += pattern.layouts.reduce((sum, { id }) => sum + (dataset.layoutRecords[id] ?? 0), 0);
    for (const value of rule.values ?? []) to.add(`${pattern.id}:${value}`);
  }
  return { from: [...from], to: [...to], records };
}
