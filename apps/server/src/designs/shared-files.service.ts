import { randomUUID } from "node:crypto";
import type { FileKind, FileSharer, ShareableFile } from "@gate-clock/contract";
import { BadRequestException, Inject, Injectable, NotFoundException } from "@nestjs/common";
import { InjectModel } from "@nestjs/sequelize";
import { Op, QueryTypes } from "sequelize";
import { Sequelize } from "sequelize-typescript";
import { Notices } from "../notices/notices.service.ts";
import { DesignFileModel, DesignModel, FileVersionModel } from "../records/design.models.ts";

/** Texts of rules that several targets hold: each has a file of its own, whose text is that of all. */
@Injectable()
export class SharedFiles {
  constructor(
    @InjectModel(DesignModel) private readonly designs: typeof DesignModel,
    @InjectModel(DesignFileModel) private readonly files: typeof DesignFileModel,
    @InjectModel(FileVersionModel) private readonly versions: typeof FileVersionModel,
    @Inject(Sequelize) private readonly sequelize: Sequelize,
    @Inject(Notices) private readonly notices: Notices,
  ) {}

  /** Rules of a kind in all designs, by the design's name. One query. */
  async shareable(kind: FileKind): Promise<ShareableFile[]> {
    return this.sequelize.query<ShareableFile>(
      `SELECT files.id AS "fileId", files.path, designs.id AS "designId", designs.name AS "designName",
         targets.name AS "targetName", targets.part
       FROM design_files files JOIN designs ON designs.id = files.design_id JOIN targets ON targets.id = files.target_id
       WHERE files.kind = $kind ORDER BY designs.name, targets.position, files.position`,
      { type: QueryTypes.SELECT, bind: { kind } },
    );
  }

  /** By file, where else its text is. One query, whatever their number. */
  async sharers(files: readonly DesignFileModel[]): Promise<Map<string, FileSharer[]>> {
    const found = new Map<string, FileSharer[]>(files.map(({ id }) => [id, []]));
    const shared = files.flatMap(({ sharedId }) => sharedId ?? []);
    if (shared.length === 0) return found;
    const rows = await this.sequelize.query<FileSharer & { id: string; sharedId: string }>(
      `SELECT files.id, files.shared_id AS "sharedId", designs.id AS "designId", designs.name AS "designName",
         targets.name AS "targetName"
       FROM design_files files JOIN designs ON designs.id = files.design_id JOIN targets ON targets.id = files.target_id
       WHERE files.shared_id IN (:shared) ORDER BY designs.name, targets.position`,
      { type: QueryTypes.SELECT, replacements: { shared } },
    );
    for (const { id, sharedId, ...sharer } of rows)
      for (const file of files) if (file.sharedId === sharedId && file.id !== id) found.get(file.id)!.push(sharer);
    return found;
  }

  /**
   * Marks a file of rules as shared, within the caller's transaction. @returns It, and the mark of all that share it.
   * @throws BadRequestException for a source; NotFoundException for a file that is not there.
   */
  async open(fileId: string): Promise<{ readonly file: DesignFileModel; readonly sharedId: string }> {
    const known = await this.files.findByPk(fileId, { attributes: ["designId"] });
    if (!known) throw new NotFoundException(`There is no file ${fileId}.`);
    await this.designs.findByPk(known.designId, { lock: true });
    const file = await this.files.findByPk(fileId, { lock: true });
    if (!file) throw new NotFoundException(`There is no file ${fileId}.`);
    if (file.kind === "source") throw new BadRequestException(`${file.path} is a source: only rules are shared.`);
    const sharedId = file.sharedId ?? randomUUID();
    await file.update({ sharedId });
    await this.notices.tell({ kind: "design", designId: file.designId });
    return { file, sharedId };
  }

  /**
   * Takes the rows of all designs that share a file's text, until the transaction ends: always in the same order, so that
   * two who save at once wait for each other instead of both for ever.
   */
  async takeDesigns(fileId: string): Promise<void> {
    await this.sequelize.query(
      `SELECT id FROM designs WHERE id IN (
         SELECT others.design_id FROM design_files own JOIN design_files others ON others.shared_id = own.shared_id
         WHERE own.id = $1) ORDER BY id FOR UPDATE`,
      { bind: [fileId] },
    );
  }

  /** What was saved in one file is put into all that share it, within the caller's transaction. */
  async spread({ id, sharedId, text, hash }: DesignFileModel): Promise<void> {
    if (sharedId === null) return;
    const others = await this.files.findAll({
      where: { sharedId, id: { [Op.ne]: id } },
      order: [["id", "ASC"]],
      lock: true,
    });
    for (const file of others) {
      await file.update({ text, hash, version: file.version + 1 });
      await this.versions.create({ fileId: file.id, version: file.version, text });
      await this.sequelize.query("UPDATE designs SET updated_at = clock_timestamp() WHERE id = $1", {
        bind: [file.designId],
      });
      await this.notices.tell({
        kind: "design",
        designId: file.designId,
        file: { id: file.id, version: file.version },
      });
    }
  }

  /** A file goes its own way from now on; one that is left alone is shared no more. Within the caller's transaction. */
  async close(file: DesignFileModel): Promise<void> {
    const { sharedId } = file;
    if (sharedId === null) return;
    await file.update({ sharedId: null });
    const left = await this.files.findAll({ where: { sharedId }, attributes: ["id", "designId"] });
    if (left.length === 1) await this.files.update({ sharedId: null }, { where: { id: left[0].id } });
    for (const { designId } of left) await this.notices.tell({ kind: "design", designId });
  }
}
