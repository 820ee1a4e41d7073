import {
  CreateDesignDto,
  Design,
  DesignCard,
  DesignFile,
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
} from "@nestjs/common";
import { ApiOkResponse, ApiTags } from "@nestjs/swagger";
import { DesignsService } from "./designs.service.ts";

@ApiTags("designs")
@Controller("api/designs")
export class DesignsController {
  constructor(@Inject(DesignsService) private readonly designs: DesignsService) {}

  @Get()
  @ApiOkResponse({ type: [DesignCard] })
  list(): Promise<DesignCard[]> {
    return this.designs.list();
  }

  @Post()
  create(@Body() dto: CreateDesignDto): Promise<Design> {
    return this.designs.create(dto);
  }

  @Get(":id")
  @ApiOkResponse({ type: Design })
  findOne(@Param("id", ParseUUIDPipe) id: string): Promise<Design> {
    return this.designs.findOne(id);
  }

  @Patch(":id")
  @ApiOkResponse({ type: Design })
  update(@Param("id", ParseUUIDPipe) id: string, @Body() dto: UpdateDesignDto): Promise<Design> {
    return this.designs.update(id, dto);
  }

  @Delete(":id")
  @HttpCode(204)
  remove(@Param("id", ParseUUIDPipe) id: string): Promise<void> {
    return this.designs.remove(id);
  }

  @Post(":id/files")
  addFile(@Param("id", ParseUUIDPipe) id: string, @Body() dto: NewFileDto): Promise<DesignFile> {
    return this.designs.addFile(id, dto);
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
