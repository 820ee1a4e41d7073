import { createHash } from "node:crypto";
import { promisify } from "node:util";
import { brotliDecompress } from "node:zlib";
import { Trial } from "@gate-clock/contract";
import { decodeArtifact, type StageName, type StoredStage, stageNames } from "@gate-clock/core";
import {
  BadRequestException,
  Controller,
  Get,
  HttpCode,
  Inject,
  type MessageEvent,
  Param,
  ParseUUIDPipe,
  Post,
  Req,
  Res,
  Sse,
} from "@nestjs/common";
import { ApiOkResponse, ApiTags } from "@nestjs/swagger";
import type { Request, Response } from "express";
import { concatMap, distinctUntilChanged, from, map, type Observable, takeWhile, timer } from "rxjs";
import { sendPacked } from "../common/packed.ts";
import { DesignsService } from "../designs/designs.service.ts";
import { TargetsService } from "../targets/targets.service.ts";
import type { TrialModel } from "./trial.models.ts";
import { TrialsService, toTrial } from "./trials.service.ts";

const decompress = promisify(brotliDecompress);
const pollMs = 250;

@ApiTags("trials")
@Controller("api/designs/:designId/trials")
export class TrialsController {
  constructor(
    @Inject(TrialsService) private readonly trials: TrialsService,
    @Inject(DesignsService) private readonly designs: DesignsService,
    @Inject(TargetsService) private readonly targets: TargetsService,
  ) {}

  @Get()
  @ApiOkResponse({ type: [Trial] })
  async list(@Param("designId", ParseUUIDPipe) designId: string): Promise<Trial[]> {
    return this.trials.list(designId, await this.targets.inputs(designId));
  }

  @Post()
  async create(@Param("designId", ParseUUIDPipe) designId: string): Promise<Trial> {
    return this.targets.startTrial(designId, await this.designs.targetOf(designId));
  }

  @Get(":trialId")
  @ApiOkResponse({ type: Trial })
  async findOne(
    @Param("designId", ParseUUIDPipe) designId: string,
    @Param("trialId", ParseUUIDPipe) trialId: string,
  ): Promise<Trial> {
    return this.shown(await this.trials.row(designId, trialId));
  }

  @Post(":trialId/cancel")
  @HttpCode(204)
  cancel(
    @Param("designId", ParseUUIDPipe) designId: string,
    @Param("trialId", ParseUUIDPipe) trialId: string,
  ): Promise<void> {
    return this.trials.cancel(designId, trialId);
  }

  /** The trial whenever it changes, until it ends. Reads the database, so it does not matter which process runs it. */
  @Sse(":trialId/events")
  events(
    @Param("designId", ParseUUIDPipe) designId: string,
    @Param("trialId", ParseUUIDPipe) trialId: string,
  ): Observable<MessageEvent> {
    const isLive = (row: TrialModel) => row.status === "queued" || row.status === "running";
    return timer(0, pollMs).pipe(
      concatMap(() => from(this.trials.row(designId, trialId))),
      distinctUntilChanged((a, b) => a.updatedAt.getTime() === b.updatedAt.getTime()),
      takeWhile(isLive, true),
      concatMap((row) => from(this.shown(row)).pipe(map((data) => ({ data })))),
    );
  }

  private async shown(row: TrialModel): Promise<Trial> {
    return toTrial(row, (await this.targets.inputs(row.designId)).get(row.targetId ?? "") ?? null);
  }

  /** The artifact as MessagePack; it never changes under its key. */
  @Get(":trialId/artifacts/:stage")
  async artifact(
    @Param("designId", ParseUUIDPipe) designId: string,
    @Param("trialId", ParseUUIDPipe) trialId: string,
    @Param("stage") stage: string,
    @Req() request: Request,
    @Res() response: Response,
  ): Promise<void> {
    if (!(stageNames as readonly string[]).includes(stage))
      throw new BadRequestException(`There is no stage '${stage}'.`);
    const { key, bytes } = await this.trials.artifactBytes(designId, trialId, stage as StageName);
    const tag = `"${key}"`;
    response.setHeader("ETag", tag);
    if (request.headers["if-none-match"] === tag) {
      response.status(304).end();
      return;
    }
    await sendPacked(request, response, bytes);
  }

  /** The bitstream as a file. */
  @Get(":trialId/image")
  async image(
    @Param("designId", ParseUUIDPipe) designId: string,
    @Param("trialId", ParseUUIDPipe) trialId: string,
    @Res() response: Response,
  ): Promise<void> {
    const row = await this.trials.row(designId, trialId);
    const { bytes } = await this.trials.artifactBytes(designId, trialId, "image");
    const { artifact } = decodeArtifact<StoredStage<"image">>(await decompress(bytes));
    const name = `${row.input.name.replace(/[^\w.-]+/g, "_")}.bit`;
    response.setHeader("Content-Disposition", `attachment; filename="${name}"`);
    response.setHeader("Digest", `sha-256=${createHash("sha256").update(artifact.file).digest("base64")}`);
    response.type("application/octet-stream").end(Buffer.from(artifact.file));
  }
}
