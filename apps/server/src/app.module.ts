import { type DynamicModule, Module } from "@nestjs/common";
import { SequelizeModule } from "@nestjs/sequelize";
import { BenchQueue } from "./bench-runs/bench-queue.service.ts";
import { BenchResultModel, BenchRunModel, KeptModel } from "./bench-runs/bench-run.models.ts";
import { BenchRunsController } from "./bench-runs/bench-runs.controller.ts";
import { BenchRunsService } from "./bench-runs/bench-runs.service.ts";
import { KeptService } from "./bench-runs/kept.service.ts";
import { CatalogController } from "./catalog/catalog.controller.ts";
import { configToken, type ServerConfig } from "./common/config.ts";
import { DesignFileModel, DesignModel, FileVersionModel } from "./designs/design.models.ts";
import { DesignsController } from "./designs/designs.controller.ts";
import { DesignsService } from "./designs/designs.service.ts";
import { Boss } from "./jobs/boss.service.ts";
import { JobQueue } from "./jobs/job-queue.service.ts";
import { TargetModel } from "./targets/target.model.ts";
import { TargetsController } from "./targets/targets.controller.ts";
import { TargetsService } from "./targets/targets.service.ts";
import { ArtifactModel, TrialModel } from "./trials/trial.models.ts";
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
          pool: { max: 8 },
        }),
        SequelizeModule.forFeature(models),
      ],
      controllers: [DesignsController, TargetsController, TrialsController, BenchRunsController, CatalogController],
      providers: [
        { provide: configToken, useValue: config },
        Boss,
        DesignsService,
        TargetsService,
        TrialsService,
        JobQueue,
        KeptService,
        BenchRunsService,
        BenchQueue,
      ],
    };
  }
}
