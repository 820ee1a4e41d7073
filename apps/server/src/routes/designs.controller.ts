import {
  CreateDesignDto,
  Design,
  DesignCard,
  DesignFile,
  DiskUse,
  FileVersion,
  NewFileDto,
  RenameFileDto,
  SaveFileDto,
  UpdateDesignDto,
} from "@gate-clock/contract";
import {
  Body,
  Controller,
  Delete,
  Get,
  HttpCode,
  Inject,
  Param,
  ParseUUIDPipe,
  Patch,
  Post,
  Put,
  Query,
} from "@nestjs/common";
import { ApiOkResponse, ApiQuery, ApiTags } from "@nestjs/swagger";
import { DesignsService } from "../designs/designs.service.ts";
import { DiskUseService } from "../designs/disk-use.service.ts";

const forTarget = { name: "target", required: false, description: "Id or name of a target; the first one by default." };

/** A query may come as a list, or empty. */
const asked = (target: unknown): string | null => (typeof target === "string" && target !== "" ? target : null);

@ApiTags("designs")
@Controller("api/designs")
export class DesignsController {
  constructor(
    @Inject(DesignsService) private readonly designs: DesignsService,
    @Inject(DiskUseService) private readonly disk: DiskUseService,
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
  renameFile(
    @Param("id", ParseUUIDPipe) id: string,
    @Param("fileId", ParseUUIDPipe) fileId: string,
    @Body() dto: RenameFileDto,
  ): Promise<DesignFile> {
    return this.designs.renameFile(id, fileId, dto);
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
