import { type Kept, maxKeptText } from "@gate-clock/contract";
import { BadRequestException, Injectable, NotFoundException } from "@nestjs/common";
import { InjectModel } from "@nestjs/sequelize";
import { ForeignKeyConstraintError } from "sequelize";
import { KeptModel } from "../records/bench-run.models.ts";
import { DesignModel } from "../records/design.models.ts";

/** A design with more than so many is filled by something that is no engineer. */
const mostKept = 1000;

/** Small things kept with a design by name; the last writer wins. */
@Injectable()
export class KeptService {
  constructor(
    @InjectModel(KeptModel) private readonly kept: typeof KeptModel,
    @InjectModel(DesignModel) private readonly designs: typeof DesignModel,
  ) {}

  /** @throws NotFoundException if there is no such design. */
  async list(designId: string): Promise<Kept[]> {
    if (!(await this.designs.count({ where: { id: designId } })))
      throw new NotFoundException(`There is no design ${designId}.`);
    const rows = await this.kept.findAll({ where: { designId }, order: [["name", "ASC"]] });
    return rows.map(toKept);
  }

  /** @throws BadRequestException for a value that is too large, or one too many. */
  async put(designId: string, name: string, value: Record<string, unknown>): Promise<void> {
    const size = JSON.stringify(value).length;
    if (size > maxKeptText)
      throw new BadRequestException(`${name} takes ${size} characters; at most ${maxKeptText} are kept.`);
    const isKnown = (await this.kept.count({ where: { designId, name } })) > 0;
    if (!isKnown && (await this.kept.count({ where: { designId } })) >= mostKept)
      throw new BadRequestException(`At most ${mostKept} layouts and verdicts are kept with a design.`);
    try {
      await this.kept.upsert({ designId, name, value }, { conflictFields: ["design_id", "name"] });
    } catch (error) {
      if (error instanceof ForeignKeyConstraintError) throw new NotFoundException(`There is no design ${designId}.`);
      throw error;
    }
  }
}

const toKept = (row: KeptModel): Kept => ({
  name: row.name,
  value: row.value,
  updatedAt: row.updatedAt.toISOString(),
});
