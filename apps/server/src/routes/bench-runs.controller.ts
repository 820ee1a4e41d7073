import { BenchRunInfo, KeepDto, Kept, keptNamePattern, StartBenchRunDto } from "@gate-clock/contract";
import {
  BadRequestException,
  Body,
  Controller,
  Get,
  HttpCode,
  Inject,
  Param,
  ParseUUIDPipe,
  Post,
  Put,
  Req,
  Res,
} from "@nestjs/common";
import { ApiOkResponse, ApiTags } from "@nestjs/swagger";
import type { Request, Response } from "express";
import { BenchRunsService } from "../bench-runs/bench-runs.service.ts";
import { KeptService } from "../bench-runs/kept.service.ts";
import { sendPacked } from "../common/packed.ts";
import { DesignsService } from "../designs/designs.service.ts";

@ApiTags("test benches")
@Controller("api/designs/:designId")
export class BenchRunsController {
  constructor(
    @Inject(BenchRunsService) private readonly runs: BenchRunsService,
    @Inject(KeptService) private readonly keptService: KeptService,
    @Inject(DesignsService) private readonly designs: DesignsService,
  ) {}

  /** Layouts of waves, last verdicts, and findings that were accepted. */
  @Get("kept")
  @ApiOkResponse({ type: [Kept] })
  kept(@Param("designId", ParseUUIDPipe) designId: string): Promise<Kept[]> {
    return this.keptService.list(designId);
  }

  @Put("kept/:name")
  @HttpCode(204)
  async keep(
    @Param("designId", ParseUUIDPipe) designId: string,
    @Param("name") name: string,
    @Body() dto: KeepDto,
  ): Promise<void> {
    if (!keptNamePattern.test(name))
      throw new BadRequestException(
        "What is kept is named 'waves:' or 'verdict:' and the test bench, 'proof:' and the target, or 'accepted:' and the finding.",
      );
    await this.keptService.put(designId, name, dto.value);
  }

  @Get("runs")
  @ApiOkResponse({ type: [BenchRunInfo] })
  list(@Param("designId", ParseUUIDPipe) designId: string): Promise<BenchRunInfo[]> {
    return this.runs.list(designId);
  }

  /** Runs a test bench of the sources as they are saved. */
  @Post("runs")
  async start(
    @Param("designId", ParseUUIDPipe) designId: string,
    @Body() dto: StartBenchRunDto,
  ): Promise<BenchRunInfo> {
    return this.runs.start(designId, () => this.designs.sourcesOf(designId), dto);
  }

  @Get("runs/:runId")
  @ApiOkResponse({ type: BenchRunInfo })
  findOne(
    @Param("designId", ParseUUIDPipe) designId: string,
    @Param("runId", ParseUUIDPipe) runId: string,
  ): Promise<BenchRunInfo> {
    return this.runs.findOne(designId, runId);
  }

  @Post("runs/:runId/cancel")
  @HttpCode(204)
  cancel(
    @Param("designId", ParseUUIDPipe) designId: string,
    @Param("runId", ParseUUIDPipe) runId: string,
  ): Promise<void> {
    return this.runs.cancel(designId, runId);
  }

  /** Printed lines, findings and waves as MessagePack. */
  @Get("runs/:runId/result")
  async result(
    @Param("designId", ParseUUIDPipe) designId: string,
    @Param("runId", ParseUUIDPipe) runId: string,
    @Req() request: Request,
    @Res() response: Response,
  ): Promise<void> {
    await sendPacked(request, response, await this.runs.resultBytes(designId, runId));
  }
}
