import { PartSummary } from "@gate-clock/contract";
import { type BoardDescription, findPart, listBoards, listParts, type Recipe, recipes } from "@gate-clock/core";
import { Controller, Get } from "@nestjs/common";
import { ApiOkResponse, ApiTags } from "@nestjs/swagger";

@ApiTags("catalog")
@Controller("api")
export class CatalogController {
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

  @Get("health")
  health(): { status: string } {
    return { status: "ok" };
  }
}
