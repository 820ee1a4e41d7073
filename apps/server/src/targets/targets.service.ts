import type { NewTargetDto, Target, TargetRules, Trial, UpdateTargetDto } from "@gate-clock/contract";
import { findBoard, findPart, recipes } from "@gate-clock/core";
import { BadRequestException, ConflictException, Inject, Injectable, NotFoundException } from "@nestjs/common";
import { InjectModel } from "@nestjs/sequelize";
import { UniqueConstraintError } from "sequelize";
import { Sequelize } from "sequelize-typescript";
import { Notices } from "../notices/notices.service.ts";
import { DesignFileModel, DesignModel, FileVersionModel } from "../records/design.models.ts";
import { TargetModel } from "../records/target.model.ts";
import { type HashedInput } from "../texts/texts.service.ts";
import { TrialsService } from "../trials/trials.service.ts";

/** Of a file, all but its text. */
export const narrowFile = { exclude: ["text"] };

/** What designs are built for. */
@Injectable()
export class TargetsService {
  constructor(
    @InjectModel(TargetModel) private readonly targets: typeof TargetModel,
    @InjectModel(DesignModel) private readonly designs: typeof DesignModel,
    @InjectModel(DesignFileModel) private readonly files: typeof DesignFileModel,
    @InjectModel(FileVersionModel) private readonly versions: typeof FileVersionModel,
    @Inject(Sequelize) private readonly sequelize: Sequelize,
    @Inject(TrialsService) private readonly trials: TrialsService,
    @Inject(Notices) private readonly notices: Notices,
  ) {}

  /** All of a design, each with its last trial. Five queries, whatever their number. */
  async list(designId: string): Promise<Target[]> {
    const design = await this.design(designId);
    const rows = await this.targets.findAll({
      where: { designId },
      order: [
        ["position", "ASC"],
        ["createdAt", "ASC"],
      ],
    });
    const files = await this.files.findAll({
      where: { designId },
      order: [["position", "ASC"]],
      attributes: narrowFile,
    });
    const last = await this.trials.lastOfEach(new Map(rows.map((row) => [row.id, inputFor(design, row, files)])), true);
    return rows.map((row) => {
      const { id, name, part, board, recipe, seed } = row;
      const ruleFiles = files.filter(({ targetId }) => targetId === id).map(({ path }) => path);
      return { id, name, part, board, recipe, seed, ruleFiles, lastTrial: last.get(id) ?? null };
    });
  }

  /** Pin and timing files of every target, in their order. */
  async rules(designId: string): Promise<TargetRules[]> {
    await this.design(designId);
    const files = await this.files.findAll({ where: { designId }, order: [["position", "ASC"]] });
    const byTarget = new Map<string, TargetRules>();
    for (const { targetId, path, kind, text, inUse } of files) {
      if (targetId === null) continue;
      const rules = byTarget.get(targetId) ?? { targetId, files: [] };
      byTarget.set(targetId, rules);
      rules.files.push({ path, kind, text, inUse });
    }
    return [...byTarget.values()];
  }

  /** Inputs of every target of a design, by the target's id. */
  async inputs(designId: string): Promise<Map<string, HashedInput>> {
    const design = await this.design(designId);
    const rows = await this.targets.findAll({ where: { designId } });
    const files = await this.files.findAll({
      where: { designId },
      order: [["position", "ASC"]],
      attributes: narrowFile,
    });
    return new Map(rows.map((row) => [row.id, inputFor(design, row, files)]));
  }

  /** @throws ConflictException if the design has a target of this name. */
  async create(designId: string, dto: NewTargetDto): Promise<Target[]> {
    const part = checkPart(dto.part);
    if (dto.recipe !== undefined) checkRecipe(dto.recipe);
    await this.sequelize.transaction(async () => {
      await this.design(designId, true);
      const position = Number((await this.targets.max("position", { where: { designId } })) ?? -1) + 1;
      const from = dto.like
        ? await this.row(designId, dto.like)
        : await this.targets.findOne({ where: { designId }, order: [["position", "ASC"]] });
      const row = await this.named(dto.name, () =>
        this.targets.create({
          designId,
          name: dto.name,
          part,
          board: dto.board ?? null,
          position,
          recipe: dto.recipe ?? from?.recipe ?? "even",
          seed: dto.seed ?? from?.seed ?? 1,
        }),
      );
      if (dto.copyRules && from) await this.copyRules(designId, from.id, row.id);
      await this.notices.tell({ kind: "design", designId });
    });
    return this.list(designId);
  }

  async update(designId: string, targetId: string, dto: UpdateTargetDto): Promise<Target[]> {
    const row = await this.row(designId, targetId);
    const changes = { ...dto };
    if (dto.part !== undefined) changes.part = checkPart(dto.part);
    if (dto.recipe !== undefined) checkRecipe(dto.recipe);
    if (dto.board != null) changes.board = checkBoard(dto.board);
    await this.sequelize.transaction(async () => {
      await this.named(dto.name ?? row.name, () => row.update(changes));
      await this.notices.tell({ kind: "design", designId });
    });
    return this.list(designId);
  }

  /** Its rule files go with it; its trials stay. @throws ConflictException for the only one. */
  async remove(designId: string, targetId: string): Promise<Target[]> {
    await this.sequelize.transaction(async () => {
      // whoever removes another one meanwhile waits, so that one is left
      await this.design(designId, true);
      const row = await this.row(designId, targetId);
      if ((await this.targets.count({ where: { designId } })) < 2)
        throw new ConflictException(`${row.name} is the design's only target.`);
      await this.trials.cancelAll(designId, targetId);
      await row.destroy();
      await this.notices.tell({ kind: "design", designId });
    });
    return this.list(designId);
  }

  /** Builds for one target without choosing it. */
  async startTrial(designId: string, targetId: string): Promise<Trial> {
    await this.row(designId, targetId);
    return this.trials.create(designId, targetId, async () => {
      const input = (await this.inputs(designId)).get(targetId);
      if (!input) throw new NotFoundException(`Design ${designId} has no target ${targetId}.`);
      return input;
    });
  }

  private async copyRules(designId: string, from: string, to: string): Promise<void> {
    const rules = await this.files.findAll({ where: { designId, targetId: from } });
    for (const { path, kind, text, hash, position, inUse } of rules) {
      const fields = { designId, targetId: to, path, kind, text, hash, position, inUse, version: 1 };
      const file = await this.files.create(fields);
      await this.versions.create({ fileId: file.id, version: 1, text });
    }
  }

  private async named<T>(name: string, write: () => Promise<T>): Promise<T> {
    try {
      return await write();
    } catch (error) {
      if (error instanceof UniqueConstraintError)
        throw new ConflictException(`The design has a target '${name}' already.`);
      throw error;
    }
  }

  /** @param isLocked Until the transaction ends. */
  private async design(id: string, isLocked = false): Promise<DesignModel> {
    const row = await this.designs.findByPk(id, isLocked ? { lock: true } : {});
    if (!row) throw new NotFoundException(`There is no design ${id}.`);
    return row;
  }

  private async row(designId: string, targetId: string): Promise<TargetModel> {
    const row = await this.targets.findOne({ where: { id: targetId, designId } });
    if (!row) throw new NotFoundException(`Design ${designId} has no target ${targetId}.`);
    return row;
  }
}

/** @throws BadRequestException for an unknown part. @returns Its full name. */
export function checkPart(name: string): string {
  const { part, findings } = findPart(name);
  if (!part) throw new BadRequestException(`${findings[0].message} ${findings[0].remedy ?? ""}`.trim());
  return part.name;
}

/** @throws BadRequestException for an unknown board. @returns Its name. */
function checkBoard(name: string): string {
  const { board, suggestion } = findBoard(name);
  if (!board)
    throw new BadRequestException(`There is no board '${name}'.${suggestion ? ` Did you mean ${suggestion}?` : ""}`);
  return board.name;
}

/** @throws BadRequestException for an unknown recipe. */
export function checkRecipe(name: string): void {
  if (!recipes.some((recipe) => recipe.name === name))
    throw new BadRequestException(
      `There is no recipe '${name}'; choose one of ${recipes.map((recipe) => recipe.name).join(", ")}.`,
    );
}

/** All that a trial for the target depends on. @param files Of the design, those of other targets among them. */
export function inputFor(design: DesignModel, target: TargetModel, files: readonly DesignFileModel[]): HashedInput {
  const ofKind = (kind: string) =>
    files
      .filter((file) => file.kind === kind && file.inUse && (file.targetId === null || file.targetId === target.id))
      .map((file) => ({ name: file.path, hash: file.hash }));
  return {
    name: design.name,
    top: design.top,
    part: target.part,
    board: target.board,
    sources: ofKind("source"),
    pinFiles: ofKind("pins"),
    timingFiles: ofKind("timing"),
    recipe: target.recipe,
    seed: target.seed,
  };
}
