import {
  type CreateDesignDto,
  type Design,
  type DesignCard,
  DesignFile,
  type FileVersion,
  type NewFileDto,
  type RenameFileDto,
  type SaveFileDto,
  type UpdateDesignDto,
} from "@gate-clock/contract";
import { type DesignInput, findPart, recipes } from "@gate-clock/core";
import { BadRequestException, ConflictException, Inject, Injectable, NotFoundException } from "@nestjs/common";
import { InjectModel } from "@nestjs/sequelize";
import { type Transaction, UniqueConstraintError } from "sequelize";
import { Sequelize } from "sequelize-typescript";
import { TrialsService } from "../trials/trials.service.ts";
import { DesignFileModel, DesignModel, FileVersionModel } from "./design.models.ts";

@Injectable()
export class DesignsService {
  constructor(
    @InjectModel(DesignModel) private readonly designs: typeof DesignModel,
    @InjectModel(DesignFileModel) private readonly files: typeof DesignFileModel,
    @InjectModel(FileVersionModel) private readonly versions: typeof FileVersionModel,
    @Inject(Sequelize) private readonly sequelize: Sequelize,
    @Inject(TrialsService) private readonly trials: TrialsService,
  ) {}

  /** All designs, the last changed first, each with its last trial. Three queries, whatever their number. */
  async list(): Promise<DesignCard[]> {
    const rows = await this.designs.findAll({ order: [["updatedAt", "DESC"]] });
    const files = await this.files.findAll({
      where: { designId: rows.map((row) => row.id) },
      order: [["position", "ASC"]],
    });
    const inputs = new Map(
      rows.map((row) => [
        row.id,
        toInput(
          row,
          files.filter((file) => file.designId === row.id),
        ),
      ]),
    );
    const last = await this.trials.lastOfEach(inputs);
    return rows.map((row) => ({ ...summary(row), lastTrial: last.get(row.id) ?? null }));
  }

  /** @throws NotFoundException if there is no such design. */
  async findOne(id: string): Promise<Design> {
    const row = await this.row(id);
    const files = await this.filesOf(id);
    const last = await this.trials.lastOfEach(new Map([[id, toInput(row, files)]]));
    return { ...summary(row), lastTrial: last.get(id) ?? null, files: files.map(toFile) };
  }

  async inputOf(id: string): Promise<DesignInput> {
    return toInput(await this.row(id), await this.filesOf(id));
  }

  /** @throws BadRequestException for an unknown part. */
  async create(dto: CreateDesignDto): Promise<Design> {
    const part = checkPart(dto.part);
    const id = await this.sequelize.transaction(async (transaction) => {
      const row = await this.designs.create(
        { name: dto.name, description: dto.description ?? "", part, board: dto.board ?? null, top: dto.top ?? null },
        { transaction },
      );
      for (const [position, file] of (dto.files ?? []).entries())
        await this.insertFile(row.id, file, position, transaction);
      return row.id;
    });
    return this.findOne(id);
  }

  async update(id: string, dto: UpdateDesignDto): Promise<Design> {
    const row = await this.row(id);
    const changes = { ...dto };
    if (dto.part !== undefined) changes.part = checkPart(dto.part);
    if (dto.recipe !== undefined && !recipes.some((recipe) => recipe.name === dto.recipe)) {
      throw new BadRequestException(
        `There is no recipe '${dto.recipe}'; choose one of ${recipes.map((recipe) => recipe.name).join(", ")}.`,
      );
    }
    await row.update(changes);
    return this.findOne(id);
  }

  async remove(id: string): Promise<void> {
    await this.trials.cancelAll(id);
    await (await this.row(id)).destroy();
  }

  async addFile(id: string, dto: NewFileDto): Promise<DesignFile> {
    const row = await this.row(id);
    return this.sequelize.transaction(async (transaction) => {
      const position = Number((await this.files.max("position", { where: { designId: id }, transaction })) ?? -1) + 1;
      const file = await this.insertFile(id, dto, position, transaction);
      row.changed("updatedAt", true);
      await row.save({ transaction });
      return toFile(file);
    });
  }

  /**
   * Saves a new version and keeps the old one.
   * @throws ConflictException if somebody has saved since `baseVersion`.
   */
  async saveFile(id: string, fileId: string, dto: SaveFileDto): Promise<DesignFile> {
    return this.sequelize.transaction(async (transaction) => {
      const file = await this.files.findOne({
        where: { id: fileId, designId: id },
        transaction,
        lock: transaction.LOCK.UPDATE,
      });
      if (!file) throw new NotFoundException(`Design ${id} has no file ${fileId}.`);
      if (file.text === dto.text) return toFile(file);
      if (file.version !== dto.baseVersion) {
        throw new ConflictException(
          `${file.path} was saved elsewhere meanwhile (version ${file.version}, yours started from ${dto.baseVersion}). Your text is still in the editor: reload the file to see the other one.`,
        );
      }
      await file.update({ text: dto.text, version: file.version + 1 }, { transaction });
      await this.versions.create({ fileId: file.id, version: file.version, text: file.text }, { transaction });
      await this.designs.update({ updatedAt: new Date() }, { where: { id }, transaction });
      return toFile(file);
    });
  }

  /** Another name, or another folder. @throws ConflictException if a file has it already. */
  async renameFile(id: string, fileId: string, dto: RenameFileDto): Promise<DesignFile> {
    const file = await this.files.findOne({ where: { id: fileId, designId: id } });
    if (!file) throw new NotFoundException(`Design ${id} has no file ${fileId}.`);
    try {
      await file.update({ path: dto.path });
    } catch (error) {
      if (error instanceof UniqueConstraintError)
        throw new ConflictException(`The design has a file ${dto.path} already.`);
      throw error;
    }
    await this.designs.update({ updatedAt: new Date() }, { where: { id } });
    return toFile(file);
  }

  async removeFile(id: string, fileId: string): Promise<void> {
    const count = await this.files.destroy({ where: { id: fileId, designId: id } });
    if (!count) throw new NotFoundException(`Design ${id} has no file ${fileId}.`);
  }

  async history(id: string, fileId: string): Promise<FileVersion[]> {
    const file = await this.files.findOne({ where: { id: fileId, designId: id } });
    if (!file) throw new NotFoundException(`Design ${id} has no file ${fileId}.`);
    const rows = await this.versions.findAll({ where: { fileId }, order: [["version", "DESC"]], limit: 200 });
    return rows.map((row) => ({ version: row.version, text: row.text, createdAt: row.createdAt.toISOString() }));
  }

  async count(): Promise<number> {
    return this.designs.count();
  }

  private async insertFile(
    designId: string,
    dto: NewFileDto,
    position: number,
    transaction: Transaction,
  ): Promise<DesignFileModel> {
    if (dto.text.includes("\0")) throw new BadRequestException(`${dto.path} is not a text file: it holds a zero byte.`);
    try {
      const file = await this.files.create(
        { designId, path: dto.path, kind: dto.kind, text: dto.text, position, version: 1 },
        { transaction },
      );
      await this.versions.create({ fileId: file.id, version: 1, text: dto.text }, { transaction });
      return file;
    } catch (error) {
      if (error instanceof UniqueConstraintError)
        throw new ConflictException(`The design has a file ${dto.path} already.`);
      throw error;
    }
  }

  private async row(id: string): Promise<DesignModel> {
    const row = await this.designs.findByPk(id);
    if (!row) throw new NotFoundException(`There is no design ${id}.`);
    return row;
  }

  private filesOf(designId: string): Promise<DesignFileModel[]> {
    return this.files.findAll({ where: { designId }, order: [["position", "ASC"]] });
  }
}

function checkPart(name: string): string {
  const { part, findings } = findPart(name);
  if (!part) throw new BadRequestException(`${findings[0].message} ${findings[0].remedy ?? ""}`.trim());
  return part.name;
}

function summary(row: DesignModel): Omit<DesignCard, "lastTrial"> {
  const { id, name, description, part, board, top, recipe, seed } = row;
  return { id, name, description, part, board, top, recipe, seed, updatedAt: row.updatedAt.toISOString() };
}

function toFile(row: DesignFileModel): DesignFile {
  const { id, path, kind, text, version } = row;
  return { id, path, kind, text, version, updatedAt: row.updatedAt.toISOString() };
}

function toInput(row: DesignModel, files: readonly DesignFileModel[]): DesignInput {
  const ofKind = (kind: string) =>
    files.filter((file) => file.kind === kind).map((file) => ({ name: file.path, text: file.text }));
  return {
    name: row.name,
    top: row.top,
    part: row.part,
    sources: ofKind("source"),
    pinFiles: ofKind("pins"),
    timingFiles: ofKind("timing"),
    recipe: row.recipe,
    seed: row.seed,
  };
}
