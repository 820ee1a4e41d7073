import { PartSummary } from "@gate-clock/contract";
import { type BoardDescription, findPart, listBoards, listParts, type Recipe, recipes } from "@gate-clock/core";
import { Controller, Get, Inject, Res } from "@nestjs/common";
import { ApiOkResponse, ApiTags } from "@nestjs/swagger";
import type { Response } from "express";
import { Sequelize } from "sequelize-typescript";
import { isOutage } from "../database/outage.ts";

@ApiTags("catalog")
@Controller("api")
export class CatalogController {
  constructor(@Inject(Sequelize) private readonly sequelize: Sequelize) {}

  @Get("parts")
  @ApiOkResponse({ type: [PartSummary] })
  parts(): PartSummary[] {
    return listParts().map((name) => {
      const part = findPart(name).part!;
      return {
        name,
        family: part.family.name,
        luts: part.fabric.logicTiles.length * part.family.elementsPerTile,
        signalPins: part.pins.length,
      };
    });
  }

  @Get("boards")
  boards(): readonly BoardDescription[] {
    return listBoards();
  }

  @Get("recipes")
  recipes(): readonly Recipe[] {
    return recipes;
  }

  /** How the server is: answers with 503 while it cannot reach its database. */
  @Get("health")
  async health(@Res({ passthrough: true }) response: Response): Promise<{ status: string }> {
    try {
      await this.sequelize.query("SELECT 1");
      return { status: "ok" };
    } catch (error) {
      if (!isOutage(error)) throw error;
      response.status(503);
      return { status: "the database cannot be reached" };
    }
  }
}
