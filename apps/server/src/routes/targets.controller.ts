import { NewTargetDto, Target, TargetRules, Trial, UpdateTargetDto } from "@gate-clock/contract";
import { Body, Controller, Delete, Get, Inject, Param, ParseUUIDPipe, Patch, Post } from "@nestjs/common";
import { ApiOkResponse, ApiTags } from "@nestjs/swagger";
import { TargetsService } from "../targets/targets.service.ts";

/** Changes answer with all targets of the design, as they then are. */
@ApiTags("targets")
@Controller("api/designs/:designId/targets")
export class TargetsController {
  constructor(@Inject(TargetsService) private readonly targets: TargetsService) {}

  @Get()
  @ApiOkResponse({ type: [Target] })
  list(@Param("designId", ParseUUIDPipe) designId: string): Promise<Target[]> {
    return this.targets.list(designId);
  }

  /** Of every target, whichever is chosen: what a copy of the whole design needs. */
  @Get("rules")
  @ApiOkResponse({ type: [TargetRules] })
  rules(@Param("designId", ParseUUIDPipe) designId: string): Promise<TargetRules[]> {
    return this.targets.rules(designId);
  }

  @Post()
  create(@Param("designId", ParseUUIDPipe) designId: string, @Body() dto: NewTargetDto): Promise<Target[]> {
    return this.targets.create(designId, dto);
  }

  @Patch(":targetId")
  @ApiOkResponse({ type: [Target] })
  update(
    @Param("designId", ParseUUIDPipe) designId: string,
    @Param("targetId", ParseUUIDPipe) targetId: string,
    @Body() dto: UpdateTargetDto,
  ): Promise<Target[]> {
    return this.targets.update(designId, targetId, dto);
  }

  @Delete(":targetId")
  @ApiOkResponse({ type: [Target] })
  remove(
    @Param("designId", ParseUUIDPipe) designId: string,
    @Param("targetId", ParseUUIDPipe) targetId: string,
  ): Promise<Target[]> {
    return this.targets.remove(designId, targetId);
  }

  @Post(":targetId/trials")
  startTrial(
    @Param("designId", ParseUUIDPipe) designId: string,
    @Param("targetId", ParseUUIDPipe) targetId: string,
  ): Promise<Trial> {
    return this.targets.startTrial(designId, targetId);
  }
}
