import { ApiProperty, ApiPropertyOptional } from "@nestjs/swagger";
import { IsBoolean, IsOptional, IsString, IsUUID, Length, MaxLength } from "class-validator";
import { BuildSettings, NamedPart } from "./build-settings.dto.ts";
import { NewFileDto, Trial } from "./design.dto.ts";
import { IfGiven } from "./if-given.ts";

/** Recipe and seed are those of the target that it is like where they are left out. */
export class NewTargetDto extends NamedPart {
  /** Id of another target of the design; the first one if left out. */
  @ApiPropertyOptional()
  @IfGiven()
  @IsUUID()
  like?: string;

  /** Begin with copies of that one's pin and timing files, instead of with none. */
  @ApiPropertyOptional()
  @IfGiven()
  @IsBoolean()
  copyRules?: boolean;
}

export class UpdateTargetDto extends BuildSettings {
  @ApiPropertyOptional()
  @IfGiven()
  @IsString()
  @Length(1, 80)
  name?: string;

  @ApiPropertyOptional()
  @IfGiven()
  @IsString()
  @Length(1, 40)
  part?: string;

  @ApiPropertyOptional({ nullable: true, type: String, description: "Null: on none." })
  @IsOptional()
  @IsString()
  @MaxLength(40)
  board?: string | null;
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
