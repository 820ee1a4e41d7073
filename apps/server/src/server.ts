import "reflect-metadata";
import { rmSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { Logger, ValidationPipe } from "@nestjs/common";
import { NestFactory } from "@nestjs/core";
import type { NestExpressApplication } from "@nestjs/platform-express";
import { DocumentBuilder, SwaggerModule } from "@nestjs/swagger";
import type { NextFunction, Request, Response } from "express";
import { Sequelize } from "sequelize-typescript";
import { AppModule } from "./app.module.ts";
import { ArtifactsService } from "./artifacts/artifacts.service.ts";
import { checkBody } from "./common/body.middleware.ts";
import type { ServerConfig } from "./common/config.ts";
import { DeadlockInterceptor } from "./common/deadlock.interceptor.ts";
import { setHeaders } from "./common/headers.middleware.ts";
import { refuseForeign } from "./common/loopback.middleware.ts";
import { ProblemFilter } from "./common/problem.filter.ts";
import { migrate } from "./database/migrate.ts";
import { withDatabase } from "./database/outage.ts";
import { joinTransactions } from "./database/transactions.ts";
import { loadDemosOnce } from "./designs/demo-loader.ts";
import { EventHub } from "./events/hub.service.ts";
import { JobRunner } from "./jobs/runner.service.ts";
import { Notices } from "./notices/notices.service.ts";

interface RunningServer {
  readonly address: string;
  readonly app: NestExpressApplication;
  close(): Promise<void>;
}

/**
 * Waits for the database, migrates, loads the demo into an empty one, and listens on the loopback address.
 * @throws PortTakenError
 */
export async function startServer(config: ServerConfig): Promise<RunningServer> {
  joinTransactions();
  const log = new Logger("Server");
  // who needs the database at its start waits for it
  const app = await withDatabase(
    () =>
      NestFactory.create<NestExpressApplication>(AppModule.with(config), {
        logger: ["error", "warn"],
        bodyParser: false,
        abortOnError: false,
      }),
    (reason) => log.warn(`Waiting for the database: ${reason}`),
  );
  app.disable("x-powered-by");
  app.use(setHeaders);
  app.use(refuseForeign);
  app.useBodyParser("json", { limit: "8mb" });
  app.use(checkBody);
  app.useGlobalPipes(new ValidationPipe({ whitelist: true, forbidNonWhitelisted: true, transform: true }));
  app.useGlobalFilters(new ProblemFilter());
  app.useGlobalInterceptors(new DeadlockInterceptor());
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
  await withDatabase(
    async () => {
      await migrate(app.get(Sequelize));
      if (config.demoFolder) await loadDemosOnce(config.demoFolder, config.buildsDemo, app);
    },
    (reason) => log.warn(`Waiting for the database: ${reason}`),
  );
  await app.get(Notices).listen();
  app.get(EventHub).start();
  app.get(JobRunner).start();
  app.get(ArtifactsService).start();
  // a connection that closes just when the next request is on its way loses that request
  app.getHttpServer().keepAliveTimeout = 75_000;
  try {
    await app.listen(config.port, "127.0.0.1");
  } catch (error) {
    await app.close();
    if ((error as NodeJS.ErrnoException).code === "EADDRINUSE") throw new PortTakenError(config.port);
    throw error;
  }
  const bound = app.getHttpServer().address() as { port: number };
  const address = `http://127.0.0.1:${bound.port}`;
  const { noteFile } = config;
  if (noteFile) {
    writeFileSync(noteFile, `${process.pid} ${address}\n`);
    process.on("exit", () => rmSync(noteFile, { force: true }));
  }
  return { address, app, close: () => app.close() };
}

/** Something else listens at the port. */
export class PortTakenError extends Error {
  constructor(port: number) {
    super(`Port ${port} is taken by another program: end that, or choose another port with GATE_CLOCK_PORT.`);
  }
}
