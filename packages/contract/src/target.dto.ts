import { ApiProperty, ApiPropertyOptional } from "@nestjs/swagger";
import { IsBoolean, IsInt, IsOptional, IsString, Length, Max, MaxLength, Min } from "class-validator";
import { NewFileDto, Trial } from "./design.dto.ts";

export class NewTargetDto {
  @ApiProperty({ example: "Bobbin" })
  @IsString()
  @Length(1, 80)
  name!: string;

  @ApiProperty({ example: "CA-1-Q64-2C" })
  @IsString()
  @Length(1, 40)
  part!: string;

  @ApiPropertyOptional({ nullable: true })
  @IsOptional()
  @IsString()
  @MaxLength(40)
  board?: string | null;

  /** Begin with copies of the chosen target's pin and timing files, instead of with none. */
  @ApiPropertyOptional()
  @IsOptional()
  @IsBoolean()
  copyRules?: boolean;
}

export class UpdateTargetDto {
  @ApiPropertyOptional()
  @IsOptional()
  @IsString()
  @Length(1, 80)
  name?: string;

  @ApiPropertyOptional()
  @IsOptional()
  @IsString()
  @Length(1, 40)
  part?: string;

  @ApiPropertyOptional()
  @IsOptional()
  @IsString()
  @MaxLength(20)
  recipe?: string;

  @ApiPropertyOptional()
  @IsOptional()
  @IsInt()
  @Min(0)
  @Max(2 ** 31 - 1)
  seed?: number;
}

/** What a design is built for: a part with rules of its own. */
export class Target {
  @ApiProperty() id!: string;
  @ApiProperty() name!: string;
  @ApiProperty() part!: string;
  @ApiProperty({ nullable: true, type: String }) board!: string | null;
  @ApiProperty() recipe!: string;
  @ApiProperty() seed!: number;
  /** Paths of its pin and timing files. */
  @ApiProperty({ type: [String] }) ruleFiles!: string[];
  @ApiProperty({ nullable: true, type: Trial }) lastTrial!: Trial | null;
}

/** Texts of a target's pin and timing files. */
export class TargetRules {
  @ApiProperty() targetId!: string;
  @ApiProperty({ type: [NewFileDto] }) files!: NewFileDto[];
}
