import { type DynamicModule, Module, type OnApplicationShutdown, Inject } from '@nestjs/common';
import { APP_FILTER, APP_GUARD } from '@nestjs/core';
import { EventEmitterModule } from '@nestjs/event-emitter';
import type { Sequelize } from 'sequelize-typescript';
import { AccessGuard } from './access/asker.js';
import { BackgroundPool } from './background/background-pool.js';
import { BundleOpener } from './bundles/bundle-opener.js';
import { BundleWriter } from './bundles/bundle-writer.js';
import { DatasetsController } from './bundles/datasets.controller.js';
import { CasesController } from './cases/cases.controller.js';
import { CaseTransfer } from './cases/case-transfer.js';
import { CasesService } from './cases/cases.service.js';
import { InvestigationService } from './cases/investigation.service.js';
import { RequestInquiry } from './cases/request-inquiry.js';
import { RunInquiry } from './cases/run-inquiry.js';
import { RecoveryService } from './cases/recovery.service.js';
import { ReportService } from './cases/report.service.js';
import { CONFIG, type Config } from './config/config.js';
import { ContrastController } from './contrast/contrast.controller.js';
import { ContrastService } from './contrast/contrast.service.js';
import { openDatabase } from './database/database.js';
import { ChangesService } from './events/changes.service.js';
import { EventsController } from './events/events.controller.js';
import { OnsetsController } from './onsets/onsets.controller.js';
import { OnsetsService } from './onsets/onsets.service.js';
import { OutsideSystems } from './outside/outside-systems.service.js';
import { SeriesAsked } from './onsets/series-asked.service.js';
import { PlotsController } from './plots/plots.controller.js';
import { PlotsService } from './plots/plots.service.js';
import { RelatedService } from './plots/related.service.js';
import { RunsController } from './runs/runs.controller.js';
import { RunsService } from './runs/runs.service.js';
import { ExportController } from './export/export.controller.js';
import { ExportService } from './export/export.service.js';
import { FollowController } from './follow/follow.controller.js';
import { GroupingService } from './grouping/grouping.service.js';
import { RulesController } from './grouping/rules.controller.js';
import { RulesService } from './grouping/rules.service.js';
import { RulesTransfer } from './grouping/rules-transfer.js';
import { ChecksService } from './health/checks.service.js';
import { HealthController } from './health/health.controller.js';
import { HealthService } from './health/health.service.js';
import { ObjectivesService } from './health/objectives.service.js';
import { LogIntakeController } from './intake/log-intake.controller.js';
import { FileIntake } from './intake/file-intake.service.js';
import { LogIntakeService } from './intake/log-intake.service.js';
import { SourceNotes } from './intake/source-notes.service.js';
import { MaintenanceService } from './maintenance/maintenance.service.js';
import { RetentionService } from './maintenance/retention.service.js';
import { NoiseController } from './noise/noise.controller.js';
import { NoiseService } from './noise/noise.service.js';
import { EventLoop } from './platform/event-loop.service.js';
import { Lifecycle } from './platform/lifecycle.service.js';
import { Threads } from './platform/threads.service.js';
import { DecodePool } from './otlp/decode-pool.js';
import { OtlpController } from './otlp/otlp.controller.js';
import { OtlpService } from './otlp/otlp.service.js';
import { ProblemFilter } from './problems/problem.filter.js';
import { ExcessService } from './query/excess.service.js';
import { PatternRatesService } from './query/pattern-rates.service.js';
import { PatternsService } from './query/patterns.service.js';
import { Planner } from './query/planner.js';
import { QueryController } from './query/query.controller.js';
import { QueryPool } from './query/query-pool.js';
import { QueryService } from './query/query.service.js';
import { AnswersService } from './questions/answers.service.js';
import { RequestAnswers } from './questions/request-answers.service.js';
import { RunAnswers } from './questions/run-answers.service.js';
import { QuestionsController } from './questions/questions.controller.js';
import { QuestionsService } from './questions/questions.service.js';
import { VocabularyService } from './questions/vocabulary.service.js';
import { SummaryService } from './query/summary.service.js';
import { AnalysisPool } from './requests/analysis-pool.js';
import { ReadAheadService } from './requests/read-ahead.service.js';
import { RequestsController } from './requests/requests.controller.js';
import { RequestsService } from './requests/requests.service.js';
import { CohortsController } from './saved/cohorts.controller.js';
import { SavedController } from './saved/saved.controller.js';
import { SavedService } from './saved/saved.service.js';
import { ScrapeService } from './scrape/scrape.service.js';
import { SeriesController } from './series/series.controller.js';
import { SeriesQueryService } from './series/series-query.service.js';
import { SeriesService } from './series/series.service.js';
import { SourcesController } from './sources/sources.controller.js';
import { SourcesService } from './sources/sources.service.js';
import { DATABASE, RecordStore } from './store/record-store.js';
import { SyslogService } from './syslog/syslog.service.js';
import { SystemController } from './system/system.controller.js';
import { TopologyController } from './topology/topology.controller.js';
import { TopologyService } from './topology/topology.service.js';
import { WatchService } from './watch/watch.service.js';

/** Closes the database once everything that writes to it has ended. */
class DatabaseCloser implements OnApplicationShutdown {
  constructor(@Inject(DATABASE) private readonly database: Sequelize) {}

  async onApplicationShutdown(): Promise<void> {
    await this.database.close();
  }
}

@Module({})
export class AppModule {
  static with(config: Config): DynamicModule {
    return {
      module: AppModule,
      imports: [EventEmitterModule.forRoot()],
      controllers: [
        LogIntakeController,
        OtlpController,
        EventsController,
        QueryController,
        SeriesController,
        RulesController,
        TopologyController,
        SourcesController,
        DatasetsController,
        ExportController,
        FollowController,
        NoiseController,
        SavedController,
        CohortsController,
        CasesController,
        RequestsController,
        HealthController,
        RunsController,
        OnsetsController,
        PlotsController,
        ContrastController,
        QuestionsController,
        SystemController,
      ],
      providers: [
        { provide: CONFIG, useValue: config },
        { provide: DATABASE, useFactory: () => openDatabase(config.data) },
        { provide: APP_FILTER, useClass: ProblemFilter },
        { provide: APP_GUARD, useClass: AccessGuard },
        RecordStore,
        LogIntakeService,
        Lifecycle,
        Threads,
        EventLoop,
        SourceNotes,
        FileIntake,
        BackgroundPool,
        RulesService,
        RulesTransfer,
        GroupingService,
        QueryPool,
        Planner,
        QueryService,
        PatternsService,
        SummaryService,
        ExcessService,
        MaintenanceService,
        RetentionService,
        DecodePool,
        OtlpService,
        SeriesService,
        SeriesQueryService,
        ChangesService,
        RunsService,
        OutsideSystems,
        SeriesAsked,
        OnsetsService,
        PlotsService,
        ContrastService,
        RelatedService,
        PatternRatesService,
        TopologyService,
        BundleWriter,
        BundleOpener,
        ExportService,
        NoiseService,
        AnalysisPool,
        ReadAheadService,
        RequestsService,
        ObjectivesService,
        HealthService,
        ChecksService,
        SavedService,
        CasesService,
        CaseTransfer,
        RequestInquiry,
        RunInquiry,
        InvestigationService,
        RecoveryService,
        ReportService,
        VocabularyService,
        RequestAnswers,
        RunAnswers,
        AnswersService,
        QuestionsService,
        SourcesService,
        SyslogService,
        WatchService,
        ScrapeService,
        DatabaseCloser,
      ],
    };
  }
}
