import {
  CreateDesignDto,
  Design,
  DesignCard,
  DesignFile,
  DiskUse,
  type FileKind,
  FileVersion,
  NewFileDto,
  SaveFileDto,
  ShareableFile,
  ShareFileDto,
  UpdateDesignDto,
  UpdateFileDto,
} from "@gate-clock/contract";
import {
  Body,
  Controller,
  Delete,
  Get,
  HttpCode,
  Inject,
  Param,
  ParseEnumPipe,
  ParseUUIDPipe,
  Patch,
  Post,
  Put,
  Query,
} from "@nestjs/common";
import { ApiOkResponse, ApiQuery, ApiTags } from "@nestjs/swagger";
import { DesignsService } from "../designs/designs.service.ts";
import { DiskUseService } from "../designs/disk-use.service.ts";
import { SharedFiles } from "../designs/shared-files.service.ts";

const forTarget = { name: "target", required: false, description: "Id or name of a target; the first one by default." };

const ruleKinds = { pins: "pins", timing: "timing" } as const;

/** A query may come as a list, or empty. */
const asked = (target: unknown): string | null => (typeof target === "string" && target !== "" ? target : null);

@ApiTags("designs")
@Controller("api/designs")
export class DesignsController {
  constructor(
    @Inject(DesignsService) private readonly designs: DesignsService,
    @Inject(DiskUseService) private readonly disk: DiskUseService,
    @Inject(SharedFiles) private readonly shared: SharedFiles,
  ) {}

  @Get()
  @ApiOkResponse({ type: [DesignCard] })
  list(): Promise<DesignCard[]> {
    return this.designs.list();
  }

  @Get("disk")
  @ApiOkResponse({ type: [DiskUse] })
  diskUse(): Promise<DiskUse[]> {
    return this.disk.list();
  }

  /** Rules that a target may share. */
  @Get("shareable/:kind")
  @ApiOkResponse({ type: [ShareableFile] })
  shareable(@Param("kind", new ParseEnumPipe(ruleKinds)) kind: FileKind): Promise<ShareableFile[]> {
    return this.shared.shareable(kind);
  }

  @Post()
  create(@Body() dto: CreateDesignDto): Promise<Design> {
    return this.designs.create(dto);
  }

  @Get(":id")
  @ApiOkResponse({ type: Design })
  @ApiQuery(forTarget)
  findOne(@Param("id", ParseUUIDPipe) id: string, @Query("target") target?: string): Promise<Design> {
    return this.designs.findOne(id, asked(target));
  }

  @Patch(":id")
  @ApiOkResponse({ type: DesignCard })
  update(@Param("id", ParseUUIDPipe) id: string, @Body() dto: UpdateDesignDto): Promise<DesignCard> {
    return this.designs.update(id, dto);
  }

  @Delete(":id")
  @HttpCode(204)
  remove(@Param("id", ParseUUIDPipe) id: string): Promise<void> {
    return this.designs.remove(id);
  }

  @Post(":id/files")
  @ApiQuery(forTarget)
  addFile(
    @Param("id", ParseUUIDPipe) id: string,
    @Body() dto: NewFileDto,
    @Query("target") target?: string,
  ): Promise<DesignFile> {
    return this.designs.addFile(id, dto, asked(target));
  }

  @Put(":id/files/:fileId")
  @ApiOkResponse({ type: DesignFile })
  saveFile(
    @Param("id", ParseUUIDPipe) id: string,
    @Param("fileId", ParseUUIDPipe) fileId: string,
    @Body() dto: SaveFileDto,
  ): Promise<DesignFile> {
    return this.designs.saveFile(id, fileId, dto);
  }

  @Patch(":id/files/:fileId")
  @ApiOkResponse({ type: DesignFile })
  updateFile(
    @Param("id", ParseUUIDPipe) id: string,
    @Param("fileId", ParseUUIDPipe) fileId: string,
    @Body() dto: UpdateFileDto,
  ): Promise<DesignFile> {
    return this.designs.updateFile(id, fileId, dto);
  }

  @Post(":id/files/shared")
  @ApiQuery(forTarget)
  shareFile(
    @Param("id", ParseUUIDPipe) id: string,
    @Body() dto: ShareFileDto,
    @Query("target") target?: string,
  ): Promise<DesignFile> {
    return this.designs.shareFile(id, dto.fileId, asked(target));
  }

  @Delete(":id/files/:fileId/shared")
  @ApiOkResponse({ type: DesignFile })
  unshareFile(
    @Param("id", ParseUUIDPipe) id: string,
    @Param("fileId", ParseUUIDPipe) fileId: string,
  ): Promise<DesignFile> {
    return this.designs.unshareFile(id, fileId);
  }

  @Delete(":id/files/:fileId")
  @HttpCode(204)
  removeFile(@Param("id", ParseUUIDPipe) id: string, @Param("fileId", ParseUUIDPipe) fileId: string): Promise<void> {
    return this.designs.removeFile(id, fileId);
  }

  @Get(":id/files/:fileId/versions")
  @ApiOkResponse({ type: [FileVersion] })
  history(
    @Param("id", ParseUUIDPipe) id: string,
    @Param("fileId", ParseUUIDPipe) fileId: string,
  ): Promise<FileVersion[]> {
    return this.designs.history(id, fileId);
  }
}
