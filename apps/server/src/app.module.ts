import { type DynamicModule, Module } from "@nestjs/common";
import { SequelizeModule } from "@nestjs/sequelize";
import { ArtifactModel } from "./artifacts/artifact.model.ts";
import { ArtifactsService } from "./artifacts/artifacts.service.ts";
import { BenchResultModel, BenchRunModel, KeptModel } from "./bench-runs/bench-run.models.ts";
import { BenchRunsController } from "./bench-runs/bench-runs.controller.ts";
import { BenchRunsService } from "./bench-runs/bench-runs.service.ts";
import { KeptService } from "./bench-runs/kept.service.ts";
import { CatalogController } from "./catalog/catalog.controller.ts";
import { configToken, type ServerConfig } from "./common/config.ts";
import { DesignFileModel, DesignModel, FileVersionModel } from "./designs/design.models.ts";
import { DesignsController } from "./designs/designs.controller.ts";
import { DesignsService } from "./designs/designs.service.ts";
import { DiskUseService } from "./designs/disk-use.service.ts";
import { TextsService } from "./designs/texts.service.ts";
import { EventsController } from "./events/events.controller.ts";
import { EventHub } from "./events/hub.service.ts";
import { Notices } from "./events/notices.service.ts";
import { JobModel } from "./jobs/job.model.ts";
import { BenchKind } from "./jobs/kinds/bench.kind.ts";
import { type JobKind, jobKinds } from "./jobs/kinds/kind.ts";
import { ReadingKind } from "./jobs/kinds/reading.kind.ts";
import { TrialKind } from "./jobs/kinds/trial.kind.ts";
import { JobQueue } from "./jobs/queue.service.ts";
import { JobRunner } from "./jobs/runner.service.ts";
import { ReadingModel } from "./readings/reading.model.ts";
import { ReadingsService } from "./readings/readings.service.ts";
import { TargetModel } from "./targets/target.model.ts";
import { TargetsController } from "./targets/targets.controller.ts";
import { TargetsService } from "./targets/targets.service.ts";
import { TrialModel } from "./trials/trial.models.ts";
import { TrialsController } from "./trials/trials.controller.ts";
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
