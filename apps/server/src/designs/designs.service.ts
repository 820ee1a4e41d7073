import { randomUUID } from "node:crypto";
import {
  type CreateDesignDto,
  type Design,
  type DesignCard,
  type DesignFile,
  type FileVersion,
  type NewFileDto,
  type SaveFileDto,
  type UpdateDesignDto,
  type UpdateFileDto,
} from "@gate-clock/contract";
import { BadRequestException, ConflictException, Inject, Injectable, NotFoundException } from "@nestjs/common";
import { InjectModel } from "@nestjs/sequelize";
import { Op, UniqueConstraintError } from "sequelize";
import { Sequelize } from "sequelize-typescript";
import { SharedRun } from "../common/shared-run.ts";
import { Notices } from "../notices/notices.service.ts";
import { DesignFileModel, DesignModel, FileVersionModel } from "../records/design.models.ts";
import { TargetModel } from "../records/target.model.ts";
import { checkPart, checkRecipe, inputFor, narrowFile } from "../targets/targets.service.ts";
import { hashOf, type NamedHash } from "../texts/texts.service.ts";
import { TrialsService } from "../trials/trials.service.ts";
import { SharedFiles } from "./shared-files.service.ts";

@Injectable()
export class DesignsService {
  constructor(
    @InjectModel(DesignModel) private readonly designs: typeof DesignModel,
    @InjectModel(DesignFileModel) private readonly files: typeof DesignFileModel,
    @InjectModel(FileVersionModel) private readonly versions: typeof FileVersionModel,
    @InjectModel(TargetModel) private readonly targets: typeof TargetModel,
    @Inject(Sequelize) private readonly sequelize: Sequelize,
    @Inject(TrialsService) private readonly trials: TrialsService,
    @Inject(Notices) private readonly notices: Notices,
    @Inject(SharedFiles) private readonly shared: SharedFiles,
  ) {}

  /** All designs, the last changed first, each with the last trial of its first target. Six queries, whatever their number. */
  list(): Promise<DesignCard[]> {
    return this.lists.ask();
  }
  private readonly lists = new SharedRun(() => this.readList());

  private async readList(): Promise<DesignCard[]> {
    const rows = await this.designs.findAll({ order: [["updatedAt", "DESC"]] });
    return this.cards(rows, await this.narrowFilesOf(rows.map((row) => row.id)), true, null);
  }

  /**
   * The design as it is for one of its targets. @param target Id or name; the first one if left out.
   * @throws NotFoundException if there is no such design, or it has no such target.
   */
  async findOne(id: string, target: string | null = null): Promise<Design> {
    const row = await this.row(id);
    const files = await this.filesOf([id]);
    // whoever has it open reads it as it is typed
    const [card] = await this.cards([row], files, false, target);
    if (!card) throw new NotFoundException(target === null ? `There is no design ${id}.` : noTarget(id, target));
    const inEffect = files.filter(({ targetId }) => targetId === null || targetId === card.targetId);
    return { ...card, files: await this.asFiles(inEffect) };
  }

  /** Source files by hash. */
  async sourcesOf(id: string): Promise<NamedHash[]> {
    await this.row(id);
    const files = await this.narrowFilesOf([id]);
    return files.flatMap(({ kind, path, hash }) => (kind === "source" ? [{ name: path, hash }] : []));
  }

  /** Its first target, or one by id or name. @throws NotFoundException if there is none. */
  async targetOf(id: string, target: string | null = null): Promise<string> {
    await this.row(id);
    const own = await this.targets.findAll({ where: { designId: id }, order: inOrder });
    const found = target === null ? own[0] : named(own, target);
    if (!found) throw new NotFoundException(noTarget(id, target ?? ""));
    return found.id;
  }

  /** @throws BadRequestException for an unknown part or recipe; ConflictException for a name that is there twice. */
  async create(dto: CreateDesignDto): Promise<Design> {
    const { name, description = "", top = null, files = [], targets = [] } = dto;
    const chosen = { ...dto, name: dto.target ?? dto.board ?? checkPart(dto.part), files };
    const names = [chosen, ...targets].map((each) => each.name);
    const twice = names.find((each, i) => names.indexOf(each) !== i);
    if (twice !== undefined) throw new ConflictException(`Two targets are called '${twice}'.`);
    const id = await this.sequelize.transaction(async () => {
      const row = await this.designs.create({ name, description, top });
      for (const [position, target] of [chosen, ...targets].entries()) {
        const { recipe = "even", seed = 1, board = null } = target;
        checkRecipe(recipe);
        const targetId = randomUUID();
        const fields = {
          id: targetId,
          designId: row.id,
          name: target.name,
          part: checkPart(target.part),
          board,
          position,
          recipe,
          seed,
        };
        await this.targets.create(fields);
        for (const [i, file] of target.files.entries()) {
          if (position > 0 && file.kind === "source")
            throw new BadRequestException(
              `${file.path} is a source: it belongs to the design, not to '${target.name}'.`,
            );
          await this.insertFile(row.id, targetId, file, i);
        }
      }
      await this.notices.tell({ kind: "design", designId: row.id });
      return row.id;
    });
    return this.findOne(id);
  }

  async update(id: string, dto: UpdateDesignDto): Promise<DesignCard> {
    await this.sequelize.transaction(async () => {
      const row = await this.row(id, true);
      row.changed("updatedAt", true);
      await row.update(given({ name: dto.name, top: dto.top }));
      await this.notices.tell({ kind: "design", designId: id });
    });
    const [card] = await this.cards([await this.row(id)], await this.narrowFilesOf([id]), false, null);
    return card;
  }

  /** Its jobs go with it: who runs one finds it gone and ends it. */
  async remove(id: string): Promise<void> {
    await this.sequelize.transaction(async () => {
      await (await this.row(id, true)).destroy();
      await this.notices.tell({ kind: "jobs" });
      await this.notices.tell({ kind: "design", designId: id });
    });
  }

  /** @param target Whose rules it belongs to, if it is a rule file: see `findOne`. */
  async addFile(id: string, dto: NewFileDto, target: string | null = null): Promise<DesignFile> {
    return this.sequelize.transaction(async () => {
      const row = await this.row(id, true);
      const targetId = await this.targetOf(id, target);
      const position = Number((await this.files.max("position", { where: { designId: id } })) ?? -1) + 1;
      const file = await this.insertFile(id, targetId, dto, position);
      row.changed("updatedAt", true);
      await row.save();
      await this.notices.tell({ kind: "design", designId: id });
      return this.asFile(file);
    });
  }

  /**
   * Takes rules of another target or design into a target, and shares their text from then on.
   * @throws ConflictException if the target has a file of that name.
   */
  async shareFile(id: string, fileId: string, target: string | null): Promise<DesignFile> {
    return this.sequelize.transaction(async () => {
      await this.row(id, true);
      const targetId = await this.targetOf(id, target);
      const { file: from, sharedId } = await this.shared.open(fileId);
      if (from.targetId === targetId) throw new BadRequestException(`The target has ${from.path} already.`);
      const position = Number((await this.files.max("position", { where: { designId: id } })) ?? -1) + 1;
      const { path, kind, text } = from;
      const file = await this.insertFile(id, targetId, { path, kind, text }, position);
      await file.update({ sharedId });
      await this.touch(id);
      await this.notices.tell({ kind: "design", designId: id });
      return this.asFile(file);
    });
  }

  /** A shared file goes its own way from now on. */
  async unshareFile(id: string, fileId: string): Promise<DesignFile> {
    return this.sequelize.transaction(async () => {
      await this.row(id, true);
      const file = await this.files.findOne({ where: { id: fileId, designId: id } });
      if (!file) throw new NotFoundException(`Design ${id} has no file ${fileId}.`);
      await this.shared.close(file);
      await this.notices.tell({ kind: "design", designId: id });
      return this.asFile(file);
    });
  }

  /**
   * Saves a new version and keeps the old one.
   * @throws ConflictException if somebody has saved since `baseVersion`.
   */
  async saveFile(id: string, fileId: string, dto: SaveFileDto): Promise<DesignFile> {
    return this.sequelize.transaction(async (transaction) => {
      // the design before what is in it, as everybody does who takes both: nobody waits for the other for ever
      await this.shared.takeDesigns(fileId);
      await this.row(id, true);
      const file = await this.files.findOne({ where: { id: fileId, designId: id }, lock: transaction.LOCK.UPDATE });
      if (!file) throw new NotFoundException(`Design ${id} has no file ${fileId}.`);
      if (file.text === dto.text) return this.asFile(file);
      if (file.version !== dto.baseVersion) {
        throw new ConflictException(
          `${file.path} was saved elsewhere meanwhile (version ${file.version}, yours started from ${dto.baseVersion}). Your text is still in the editor: reload the file to see the other one.`,
        );
      }
      await file.update({ text: dto.text, hash: hashOf(dto.text), version: file.version + 1 });
      await this.versions.create({ fileId: file.id, version: file.version, text: file.text });
      await this.touch(id);
      await this.notices.tell({ kind: "design", designId: id, file: { id: file.id, version: file.version } });
      await this.shared.spread(file);
      return this.asFile(file);
    });
  }

  /**
   * Another name, or another folder; used by its target, or not. @throws ConflictException if a file has the name already;
   * BadRequestException for a source that is to be left out.
   */
  async updateFile(id: string, fileId: string, dto: UpdateFileDto): Promise<DesignFile> {
    return this.sequelize.transaction(async () => {
      await this.row(id, true);
      const file = await this.files.findOne({ where: { id: fileId, designId: id } });
      if (!file) throw new NotFoundException(`Design ${id} has no file ${fileId}.`);
      const { path = file.path, inUse = file.inUse } = dto;
      if (!inUse && file.kind === "source")
        throw new BadRequestException(`${file.path} is a source: only rules can be left out.`);
      await this.checkPath(id, path, file.targetId);
      try {
        await file.update({ path, inUse });
      } catch (error) {
        if (error instanceof UniqueConstraintError)
          throw new ConflictException(`The design has a file ${path} already.`);
        throw error;
      }
      await this.touch(id);
      await this.notices.tell({ kind: "design", designId: id });
      return this.asFile(file);
    });
  }

  async removeFile(id: string, fileId: string): Promise<void> {
    await this.sequelize.transaction(async () => {
      await this.row(id, true);
      const file = await this.files.findOne({ where: { id: fileId, designId: id } });
      if (!file) throw new NotFoundException(`Design ${id} has no file ${fileId}.`);
      await this.shared.close(file);
      await file.destroy();
      await this.touch(id);
      await this.notices.tell({ kind: "design", designId: id });
    });
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

  /** Rules are a target's own; sources are for all. */
  private async insertFile(
    designId: string,
    ofRules: string | null,
    dto: NewFileDto,
    position: number,
  ): Promise<DesignFileModel> {
    const { path, kind, text, inUse = true } = dto;
    if (!inUse && kind === "source") throw new BadRequestException(`${path} is a source: only rules can be left out.`);
    const targetId = kind === "source" ? null : ofRules;
    await this.checkPath(designId, path, targetId);
    try {
      const hash = hashOf(text);
      const file = await this.files.create({ designId, targetId, path, kind, text, hash, position, inUse, version: 1 });
      await this.versions.create({ fileId: file.id, version: 1, text });
      return file;
    } catch (error) {
      if (error instanceof UniqueConstraintError)
        throw new ConflictException(`The design has a file ${dto.path} already.`);
      throw error;
    }
  }

  /** A source may have no name that rules of any target have, and the other way round: one list shows both. */
  private async checkPath(designId: string, path: string, targetId: string | null): Promise<void> {
    const other = targetId === null ? { [Op.ne]: null } : null;
    if (await this.files.count({ where: { designId, path, targetId: other } }))
      throw new ConflictException(`The design has a file ${path} already.`);
  }

  /** With where else they are. One query more, whatever their number. */
  private async asFiles(rows: readonly DesignFileModel[]): Promise<DesignFile[]> {
    const sharers = await this.shared.sharers(rows);
    return rows.map((row) => {
      const { id, path, kind, text, version, inUse } = row;
      const updatedAt = row.updatedAt.toISOString();
      return { id, path, kind, text, version, updatedAt, inUse, sharedWith: sharers.get(id)! };
    });
  }
  private async asFile(row: DesignFileModel): Promise<DesignFile> {
    return (await this.asFiles([row]))[0];
  }

  private async cards(
    rows: readonly DesignModel[],
    files: readonly DesignFileModel[],
    mayAsk: boolean,
    target: string | null,
  ): Promise<DesignCard[]> {
    const all = await this.targets.findAll({ where: { designId: rows.map((row) => row.id) }, order: inOrder });
    const own = new Map<string, TargetModel[]>(rows.map((row) => [row.id, []]));
    for (const each of all) own.get(each.designId)?.push(each);
    const shown = (row: DesignModel) => (target === null ? own.get(row.id)![0] : named(own.get(row.id)!, target));
    const filesOf = new Map<string, DesignFileModel[]>(rows.map((row) => [row.id, []]));
    for (const file of files) filesOf.get(file.designId)?.push(file);
    // one that was deleted while this was read has no target any more
    const whole = rows.filter((row) => shown(row));
    const chosen = whole.map((row) => shown(row)!);
    const last = await this.trials.lastOfEach(
      new Map(whole.map((row, i) => [chosen[i].id, inputFor(row, chosen[i], filesOf.get(row.id)!)])),
      mayAsk,
    );
    return whole.map(({ id, name, description, top, updatedAt }, i) => {
      const { id: targetId, name: targetName, part, board, recipe, seed } = chosen[i];
      return {
        id,
        name,
        description,
        targetId,
        targetName,
        targetCount: own.get(id)!.length,
        part,
        board,
        top,
        recipe,
        seed,
        updatedAt: updatedAt.toISOString(),
        lastTrial: last.get(targetId) ?? null,
      };
    });
  }

  /** @param isLocked Until the transaction ends: the design cannot be deleted, nor changed otherwise, meanwhile. */
  private async row(id: string, isLocked = false): Promise<DesignModel> {
    const row = await this.designs.findByPk(id, isLocked ? { lock: true } : {});
    if (!row) throw new NotFoundException(`There is no design ${id}.`);
    return row;
  }

  /** The design has changed now. Takes its row, so that whoever holds that sees all of the change or nothing. */
  private async touch(id: string): Promise<void> {
    // (a model's update leaves out what would change this column alone)
    await this.sequelize.query("UPDATE designs SET updated_at = clock_timestamp() WHERE id = $1", { bind: [id] });
  }

  private narrowFilesOf(designIds: readonly string[]): Promise<DesignFileModel[]> {
    return this.files.findAll({
      where: { designId: [...designIds] },
      order: [["position", "ASC"]],
      attributes: narrowFile,
    });
  }

  private filesOf(designIds: readonly string[]): Promise<DesignFileModel[]> {
    return this.files.findAll({ where: { designId: [...designIds] }, order: [["position", "ASC"]] });
  }
}

/** The first one is shown where none is asked for. */
const inOrder: [string, string][] = [
  ["position", "ASC"],
  ["createdAt", "ASC"],
];
const named = (targets: readonly TargetModel[], wanted: string): TargetModel | undefined =>
  targets.find(({ id }) => id === wanted) ?? targets.find(({ name }) => name === wanted);
const noTarget = (designId: string, target: string): string => `Design ${designId} has no target ${target}.`;

/** Without what is undefined: it is to stay as it is. */
function given<T extends object>(changes: T): Partial<T> {
  return Object.fromEntries(Object.entries(changes).filter(([, value]) => value !== undefined)) as Partial<T>;
}
