import type { DesignInput, DesignReading } from "@gate-clock/core";
import { Inject, Injectable } from "@nestjs/common";
import { InjectModel } from "@nestjs/sequelize";
import { storable } from "../../common/storable.ts";
import { Notices } from "../../notices/notices.service.ts";
import { inputKey } from "../../readings/readings.service.ts";
import { DesignFileModel, DesignModel } from "../../records/design.models.ts";
import { ReadingModel } from "../../records/reading.model.ts";
import { TargetModel } from "../../records/target.model.ts";
import { inputFor } from "../../targets/targets.service.ts";
import type { ReadingDone, ReadingTask } from "../tasks/reading-task.ts";
import type { JobKind } from "./kind.ts";

/** Reads what the design of a target means as it is now. The job's id is the target's. */
@Injectable()
export class ReadingKind implements JobKind {
  readonly name = "reading";
  readonly timeMs = 10 * 60_000;

  constructor(
    @InjectModel(DesignModel) private readonly designs: typeof DesignModel,
    @InjectModel(DesignFileModel) private readonly files: typeof DesignFileModel,
    @InjectModel(TargetModel) private readonly targets: typeof TargetModel,
    @InjectModel(ReadingModel) private readonly readings: typeof ReadingModel,
    @Inject(Notices) private readonly notices: Notices,
  ) {}

  async begin(id: string): Promise<ReadingTask | null> {
    return this.taskFor(id);
  }

  async progress(): Promise<void> {}

  async answer(): Promise<null> {
    return null;
  }

  async finish(id: string, result: unknown): Promise<void> {
    const { key, reading } = result as ReadingDone;
    await this.keep(id, key, reading);
  }

  /** What cannot be read to its end cannot be built either. */
  async fail(id: string): Promise<void> {
    const task = await this.taskFor(id);
    if (!task) return;
    const reading = { settings: null, recipe: task.input.recipe, facets: {}, failsAt: "elaborate" as const };
    await this.keep(id, task.key, reading);
  }

  async cancel(): Promise<void> {}

  async requeue(): Promise<void> {}

  private async taskFor(targetId: string): Promise<ReadingTask | null> {
    const target = await this.targets.findByPk(targetId);
    const design = target && (await this.designs.findByPk(target.designId));
    if (!target || !design) return null;
    const rows = await this.files.findAll({ where: { designId: design.id }, order: [["position", "ASC"]] });
    const hashed = inputFor(design, target, rows);
    const texts = new Map(rows.map((row) => [row.hash, row.text]));
    const withText = (files: typeof hashed.sources) =>
      files.map(({ name, hash }) => ({ name, text: texts.get(hash)! }));
    const { sources, pinFiles, timingFiles } = hashed;
    const input: DesignInput = {
      ...hashed,
      sources: withText(sources),
      pinFiles: withText(pinFiles),
      timingFiles: withText(timingFiles),
    };
    return { input, key: inputKey(hashed) };
  }

  private async keep(targetId: string, key: string, reading: DesignReading): Promise<void> {
    const target = await this.targets.findByPk(targetId, { attributes: ["id", "designId"] });
    if (!target) return;
    await this.readings.upsert({ targetId, inputKey: key, reading: storable(reading), createdAt: new Date() });
    await this.notices.tell({ kind: "design", designId: target.designId });
  }
}
