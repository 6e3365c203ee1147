import type { CorrectionPreview, KeptCorrection, KeptMark, RulesBundle } from '@flail/contract';
import type { Correction, Grouping, Mark } from '@flail/core';
import { Body, Controller, Delete, Get, HttpCode, Param, ParseIntPipe, Post, Query } from '@nestjs/common';
import { ApiOperation, ApiTags } from '@nestjs/swagger';
import { badRequest } from '../problems/problem.js';
import { type Dataset, RecordStore } from '../store/record-store.js';
import { DatasetQueryDto } from '../system/dataset-query.dto.js';
import { GroupingService } from './grouping.service.js';
import { correctionOf, find, markBody, markOf } from './rule-bodies.js';
import { CorrectionDto, MarkDto, RulesBundleDto } from './rules.dto.js';
import { type Kept, RulesService } from './rules.service.js';
import { RulesTransfer } from './rules-transfer.js';

/** Corrections of the grouping and marks: given, listed, taken back, carried elsewhere. */
@ApiTags('patterns')
@Controller('api/v1')
export class RulesController {
  constructor(
    private readonly rules: RulesService,
    private readonly groupings: GroupingService,
    private readonly transfer: RulesTransfer,
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
  export(@Query() { dataset }: DatasetQueryDto): Promise<RulesBundle> {
    return this.transfer.export(this.store.dataset(dataset));
  }

  @Post('corrections/import')
  @HttpCode(200)
  @ApiOperation({ summary: 'Takes in corrections and marks; those that hold already are not doubled' })
  import(
    @Body() bundle: RulesBundleDto,
    @Query() { dataset }: DatasetQueryDto,
  ): Promise<{ corrections: number; marks: number }> {
    return this.transfer.import(this.store.dataset(dataset), bundle);
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
