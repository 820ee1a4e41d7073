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
  NotFoundException,
  Param,
  ParseIntPipe,
  ParseUUIDPipe,
  Post,
  Query,
  Req,
  Res,
  Sse,
} from "@nestjs/common";
import { ApiOkResponse, ApiQuery, ApiTags } from "@nestjs/swagger";
import type { Request, Response } from "express";
import { concat, from, map, type Observable, takeWhile } from "rxjs";
import { sendPacked } from "../common/packed.ts";
import { DesignsService } from "../designs/designs.service.ts";
import { EventHub } from "../events/hub.service.ts";
import type { TrialModel } from "../records/trial.models.ts";
import { TargetsService } from "../targets/targets.service.ts";
import { TrialsService } from "../trials/trials.service.ts";

const decompress = promisify(brotliDecompress);

@ApiTags("trials")
@Controller("api/designs/:designId/trials")
export class TrialsController {
  constructor(
    @Inject(TrialsService) private readonly trials: TrialsService,
    @Inject(DesignsService) private readonly designs: DesignsService,
    @Inject(TargetsService) private readonly targets: TargetsService,
    @Inject(EventHub) private readonly hub: EventHub,
  ) {}

  @Get()
  @ApiOkResponse({ type: [Trial] })
  @ApiQuery({ name: "number", required: false, description: "Only the trial of this number." })
  async list(
    @Param("designId", ParseUUIDPipe) designId: string,
    @Query("number", new ParseIntPipe({ optional: true })) number?: number,
  ): Promise<Trial[]> {
    return this.trials.list(designId, await this.targets.inputs(designId), number);
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

  /** What is new of the trial, until it ends: see `LiveTrial`. Pages follow all of them by one stream, `/api/events`. */
  @Sse(":trialId/events")
  async events(
    @Param("designId", ParseUUIDPipe) designId: string,
    @Param("trialId", ParseUUIDPipe) trialId: string,
  ): Promise<Observable<MessageEvent>> {
    const now = await this.trials.live(trialId);
    if (now?.designId !== designId) throw new NotFoundException(`Design ${designId} has no trial ${trialId}.`);
    return concat(from([now]), this.hub.trial(trialId)).pipe(
      takeWhile(({ status }) => status === "queued" || status === "running", true),
      map((data) => ({ data })),
    );
  }

  private async shown(row: TrialModel): Promise<Trial> {
    const [trial] = await this.trials.shown([row], await this.targets.inputs(row.designId), true);
    return trial;
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
    const name = `${row.inputs.name.replace(/[^\w.-]+/g, "_")}.bits`;
    response.setHeader("Content-Disposition", `attachment; filename="${name}"`);
    response.setHeader("Digest", `sha-256=${createHash("sha256").update(artifact.file).digest("base64")}`);
    response.type("application/octet-stream").end(Buffer.from(artifact.file));
  }
}
