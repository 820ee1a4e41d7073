import { type DynamicModule, Module } from "@nestjs/common";
import { SequelizeModule } from "@nestjs/sequelize";
import { ArtifactsService } from "./artifacts/artifacts.service.ts";
import { BenchRunsService } from "./bench-runs/bench-runs.service.ts";
import { KeptService } from "./bench-runs/kept.service.ts";
import { configToken, type ServerConfig } from "./common/config.ts";
import { DesignsService } from "./designs/designs.service.ts";
import { DiskUseService } from "./designs/disk-use.service.ts";
import { SharedFiles } from "./designs/shared-files.service.ts";
import { EventHub } from "./events/hub.service.ts";
import { BenchKind } from "./jobs/kinds/bench.kind.ts";
import { type JobKind, jobKinds } from "./jobs/kinds/kind.ts";
import { ReadingKind } from "./jobs/kinds/reading.kind.ts";
import { TrialKind } from "./jobs/kinds/trial.kind.ts";
import { JobRunner } from "./jobs/runner.service.ts";
import { Notices } from "./notices/notices.service.ts";
import { JobQueue } from "./queue/queue.service.ts";
import { ReadingsService } from "./readings/readings.service.ts";
import { ArtifactModel } from "./records/artifact.model.ts";
import { BenchResultModel, BenchRunModel, KeptModel } from "./records/bench-run.models.ts";
import { DesignFileModel, DesignModel, FileVersionModel } from "./records/design.models.ts";
import { JobModel } from "./records/job.model.ts";
import { ReadingModel } from "./records/reading.model.ts";
import { TargetModel } from "./records/target.model.ts";
import { TrialModel } from "./records/trial.models.ts";
import { BenchRunsController } from "./routes/bench-runs.controller.ts";
import { CatalogController } from "./routes/catalog.controller.ts";
import { DesignsController } from "./routes/designs.controller.ts";
import { EventsController } from "./routes/events.controller.ts";
import { TargetsController } from "./routes/targets.controller.ts";
import { TrialsController } from "./routes/trials.controller.ts";
import { TargetsService } from "./targets/targets.service.ts";
import { TextsService } from "./texts/texts.service.ts";
import { TrialsService } from "./trials/trials.service.ts";

const models = [
  DesignModel,
  DesignFileModel,
  FileVersionModel,
  TargetModel,
  TrialModel,
  ArtifactModel,
  KeptModel,
  BenchRunModel,
  BenchResultModel,
  JobModel,
  ReadingModel,
];

@Module({})
export class AppModule {
  static with(config: ServerConfig): DynamicModule {
    return {
      module: AppModule,
      imports: [
        SequelizeModule.forRoot({
          dialect: "postgres",
          uri: config.databaseUrl,
          models,
          logging: false,
          synchronize: false,
          autoLoadModels: false,
          pool: { max: 12, acquire: 30_000, idle: 30_000 },
          retryAttempts: 0,
        }),
        SequelizeModule.forFeature(models),
      ],
      controllers: [
        DesignsController,
        TargetsController,
        TrialsController,
        BenchRunsController,
        CatalogController,
        EventsController,
      ],
      providers: [
        { provide: configToken, useValue: config },
        Notices,
        TextsService,
        ArtifactsService,
        DesignsService,
        DiskUseService,
        SharedFiles,
        TargetsService,
        TrialsService,
        JobQueue,
        KeptService,
        BenchRunsService,
        JobRunner,
        TrialKind,
        BenchKind,
        ReadingKind,
        ReadingsService,
        {
          provide: jobKinds,
          useFactory: (...kinds: JobKind[]): readonly JobKind[] => kinds,
          inject: [TrialKind, BenchKind, ReadingKind],
        },
        EventHub,
      ],
    };
  }
}
