import "reflect-metadata";
import { join } from "node:path";
import { Logger, ValidationPipe } from "@nestjs/common";
import { NestFactory } from "@nestjs/core";
import type { NestExpressApplication } from "@nestjs/platform-express";
import { DocumentBuilder, SwaggerModule } from "@nestjs/swagger";
import type { NextFunction, Request, Response } from "express";
import { Sequelize } from "sequelize-typescript";
import { AppModule } from "./app.module.ts";
import { BenchQueue } from "./bench-runs/bench-queue.service.ts";
import type { ServerConfig } from "./common/config.ts";
import { refuseForeign } from "./common/loopback.middleware.ts";
import { ProblemFilter } from "./common/problem.filter.ts";
import { migrate } from "./database/migrate.ts";
import { loadDemos } from "./designs/demo-loader.ts";
import { DesignsService } from "./designs/designs.service.ts";
import { JobQueue } from "./jobs/job-queue.service.ts";
import { TargetsService } from "./targets/targets.service.ts";

export interface RunningServer {
  readonly address: string;
  readonly app: NestExpressApplication;
  close(): Promise<void>;
}

/** Migrates, loads the demo into an empty database, and listens on the loopback address. */
export async function startServer(config: ServerConfig): Promise<RunningServer> {
  const app = await NestFactory.create<NestExpressApplication>(AppModule.with(config), {
    logger: ["error", "warn"],
    bodyParser: false,
  });
  app.use(refuseForeign);
  app.useBodyParser("json", { limit: "8mb" });
  app.useGlobalPipes(new ValidationPipe({ whitelist: true, forbidNonWhitelisted: true, transform: true }));
  app.useGlobalFilters(new ProblemFilter());
  app.enableShutdownHooks();
  const document = SwaggerModule.createDocument(
    app,
    new DocumentBuilder().setTitle("Gate Clock").setVersion("0.1").build(),
  );
  SwaggerModule.setup("api/docs", app, document, { jsonDocumentUrl: "api/openapi.json" });
  if (config.webFolder) {
    const { webFolder } = config;
    app.useStaticAssets(webFolder, {
      index: false,
      setHeaders: (response: Response, path: string) =>
        response.setHeader(
          "Cache-Control",
          path.includes("/assets/") ? "public, max-age=31536000, immutable" : "no-cache",
        ),
    });
    // every other address belongs to the web application's own router
    app.use((request: Request, response: Response, next: NextFunction) => {
      if (request.method !== "GET" || request.path.startsWith("/api/") || /\.[a-z0-9]+$/i.test(request.path)) next();
      else response.sendFile(join(webFolder, "index.html"));
    });
  }
  await migrate(app.get(Sequelize));
  await app.get(JobQueue).start();
  await app.get(BenchQueue).start();
  if (config.demoFolder) {
    const designs = app.get(DesignsService);
    if ((await designs.count()) === 0) {
      const targets = app.get(TargetsService);
      for (const id of await loadDemos(config.demoFolder, designs))
        await targets.startTrial(id, await designs.targetOf(id));
    }
  }
  await app.listen(config.port, "127.0.0.1");
  const bound = app.getHttpServer().address() as { port: number };
  const address = `http://127.0.0.1:${bound.port}`;
  new Logger("Server").log(address);
  return { address, app, close: () => app.close() };
}
