import { ApiProperty, ApiPropertyOptional } from "@nestjs/swagger";
import { IsInt, IsOptional, IsString, Length, Max, MaxLength, Min } from "class-validator";
import { IfGiven } from "./if-given.ts";

/** How a target is built. */
export class BuildSettings {
  @ApiPropertyOptional()
  @IfGiven()
  @IsString()
  @MaxLength(20)
  recipe?: string;

  @ApiPropertyOptional()
  @IfGiven()
  @IsInt()
  @Min(0)
  @Max(2 ** 31 - 1)
  seed?: number;
}

/** A part, on a board if it is on one. */
export class ChosenPart extends BuildSettings {
  @ApiProperty({ example: "CA-1-P84-2C" })
  @IsString()
  @Length(1, 40)
  part!: string;

  @ApiPropertyOptional({ nullable: true })
  @IsOptional()
  @IsString()
  @MaxLength(40)
  board?: string | null;
}

export class NamedPart extends ChosenPart {
  @ApiProperty({ example: "bobbin" })
  @IsString()
  @Length(1, 80)
  name!: string;
}
