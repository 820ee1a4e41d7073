import type { Finding, StageName, StageRecord, Staleness } from "@gate-clock/core";
import { ApiProperty, ApiPropertyOptional } from "@nestjs/swagger";
import { Type } from "class-transformer";
import {
  ArrayMaxSize,
  IsArray,
  IsBoolean,
  IsIn,
  IsInt,
  IsOptional,
  IsString,
  IsUUID,
  Length,
  Matches,
  MaxLength,
  Min,
  ValidateNested,
} from "class-validator";
import { ChosenPart, NamedPart } from "./build-settings.dto.ts";
import { IfGiven } from "./if-given.ts";

/** Longest text of one file, in UTF-16 units. */
const maxFileText = 6_000_000;
const fileKinds = ["source", "pins", "timing"] as const;
export type FileKind = (typeof fileKinds)[number];
const pathPattern = /^(?!\/)(?!.*(?:^|\/)\.\.?(?:\/|$))[\w .+()@-]+(?:\/[\w .+()@-]+)*$/;
const pathMessage = "A file name may hold letters, digits, spaces, . _ - + ( ) @ and / between folders.";

export class NewFileDto {
  @ApiProperty({ example: "pick_counter.v" })
  @IsString()
  @Length(1, 200)
  @Matches(pathPattern, { message: pathMessage })
  path!: string;

  @ApiProperty({ enum: fileKinds })
  @IsIn(fileKinds)
  kind!: FileKind;

  @ApiProperty()
  @IsString()
  @MaxLength(maxFileText)
  text!: string;

  @ApiPropertyOptional({ description: "Of rules: whether the target uses them; it does by default." })
  @IfGiven()
  @IsBoolean()
  inUse?: boolean;
}

export class SaveFileDto {
  @ApiProperty()
  @IsString()
  @MaxLength(maxFileText)
  text!: string;

  /** Version that the edit started from; a newer one on the server is a conflict, not overwritten. */
  @ApiProperty()
  @IsInt()
  @Min(1)
  baseVersion!: number;
}

export class UpdateFileDto {
  @ApiPropertyOptional({ example: "rtl/pick_counter.v" })
  @IfGiven()
  @IsString()
  @Length(1, 200)
  @Matches(pathPattern, { message: pathMessage })
  path?: string;

  @ApiPropertyOptional({ description: "Of rules: whether the target uses them." })
  @IfGiven()
  @IsBoolean()
  inUse?: boolean;
}

/** A file of rules that is to be shared: from then on, what is saved in one design is in all. */
export class ShareFileDto {
  @ApiProperty({ description: "File of another target or design." })
  @IsUUID()
  fileId!: string;
}

/** A target that a new design has beside the first one, with its pin and timing files. */
export class FurtherTargetDto extends NamedPart {
  @ApiProperty({ type: [NewFileDto] })
  @IsArray()
  @ArrayMaxSize(500)
  @ValidateNested({ each: true })
  @Type(() => NewFileDto)
  files!: NewFileDto[];
}

export class CreateDesignDto extends ChosenPart {
  @ApiProperty({ example: "pick-counter" })
  @IsString()
  @Length(1, 120)
  name!: string;

  @ApiPropertyOptional()
  @IfGiven()
  @IsString()
  @MaxLength(1000)
  description?: string;

  @ApiPropertyOptional({ nullable: true })
  @IsOptional()
  @IsString()
  @MaxLength(200)
  top?: string | null;

  @ApiPropertyOptional({ type: [NewFileDto] })
  @IfGiven()
  @IsArray()
  @ArrayMaxSize(500)
  @ValidateNested({ each: true })
  @Type(() => NewFileDto)
  files?: NewFileDto[];

  /** Name of the first target; its board or part if left out. */
  @ApiPropertyOptional()
  @IfGiven()
  @IsString()
  @Length(1, 80)
  target?: string;

  @ApiPropertyOptional({ type: [FurtherTargetDto] })
  @IfGiven()
  @IsArray()
  @ArrayMaxSize(50)
  @ValidateNested({ each: true })
  @Type(() => FurtherTargetDto)
  targets?: FurtherTargetDto[];
}

export class UpdateDesignDto {
  @ApiPropertyOptional()
  @IfGiven()
  @IsString()
  @Length(1, 120)
  name?: string;

  @ApiPropertyOptional({ nullable: true })
  @IsOptional()
  @IsString()
  @MaxLength(200)
  top?: string | null;
}

/** Where else a shared file is. */
export class FileSharer {
  @ApiProperty() designId!: string;
  @ApiProperty() designName!: string;
  @ApiProperty() targetName!: string;
}

export class DesignFile {
  @ApiProperty() id!: string;
  @ApiProperty() path!: string;
  @ApiProperty({ enum: fileKinds }) kind!: FileKind;
  @ApiProperty() text!: string;
  @ApiProperty() version!: number;
  @ApiProperty() updatedAt!: string;
  /** Of rules: whether the target uses them. */
  @ApiProperty() inUse!: boolean;
  @ApiProperty({ type: [FileSharer] }) sharedWith!: FileSharer[];
}

/** A file of rules that a target may share. */
export class ShareableFile extends FileSharer {
  @ApiProperty() fileId!: string;
  @ApiProperty() path!: string;
  @ApiProperty() part!: string;
}

export class FileVersion {
  @ApiProperty() version!: number;
  @ApiProperty() text!: string;
  @ApiProperty() createdAt!: string;
}

const trialStatuses = ["queued", "running", "done", "failed", "cancelled"] as const;
export type TrialStatus = (typeof trialStatuses)[number];

/** The few figures that the row of stations shows. */
export class TrialFigures {
  @ApiProperty({ nullable: true, type: Number }) luts!: number | null;
  @ApiProperty({ nullable: true, type: Number }) registers!: number | null;
  @ApiProperty({ nullable: true, type: Number }) lutPercent!: number | null;
  @ApiProperty({ nullable: true, type: Number }) pins!: number | null;
  @ApiProperty({ nullable: true, type: Number }) clocks!: number | null;
  @ApiProperty({ nullable: true, type: Number }) wires!: number | null;
  @ApiProperty({ nullable: true, type: Number }) setupSlackPs!: number | null;
  @ApiProperty({ nullable: true, type: Number }) holdSlackPs!: number | null;
  @ApiProperty({ nullable: true, type: Number }) fmaxMhz!: number | null;
  @ApiProperty({ nullable: true, type: Number }) imageBytes!: number | null;
  @ApiProperty({ nullable: true, type: String }) imageKey!: string | null;
}

export class Trial {
  @ApiProperty() id!: string;
  @ApiProperty() designId!: string;
  /** Target that it was run for; null if that is gone. */
  @ApiProperty({ nullable: true, type: String }) targetId!: string | null;
  /** Counts from 1 within its design. */
  @ApiProperty() number!: number;
  @ApiProperty({ enum: trialStatuses }) status!: TrialStatus;
  @ApiProperty() part!: string;
  @ApiProperty() recipe!: string;
  @ApiProperty() seed!: number;
  @ApiProperty({ type: "array", items: { type: "object" } }) stages!: StageRecord[];
  @ApiProperty({ type: "array", items: { type: "object" } }) findings!: Finding[];
  @ApiProperty() figures!: TrialFigures;
  /** How it stands to the design as it is now; null while the design is being read for that. */
  @ApiProperty({ nullable: true, type: "object", additionalProperties: true }) staleness!: Staleness | null;
  /** What went wrong in the server, as opposed to the design. */
  @ApiProperty({ nullable: true, type: String }) failure!: string | null;
  @ApiProperty() createdAt!: string;
  @ApiProperty({ nullable: true, type: String }) startedAt!: string | null;
  @ApiProperty({ nullable: true, type: String }) finishedAt!: string | null;
}

export class DesignCard {
  @ApiProperty() id!: string;
  @ApiProperty() name!: string;
  @ApiProperty() description!: string;
  /** The target that is looked at: part, board, recipe, seed and last trial are its own. */
  @ApiProperty() targetId!: string;
  @ApiProperty() targetName!: string;
  @ApiProperty() targetCount!: number;
  @ApiProperty() part!: string;
  @ApiProperty({ nullable: true, type: String }) board!: string | null;
  @ApiProperty({ nullable: true, type: String }) top!: string | null;
  @ApiProperty() recipe!: string;
  @ApiProperty() seed!: number;
  @ApiProperty() updatedAt!: string;
  @ApiProperty({ nullable: true, type: Trial }) lastTrial!: Trial | null;
}

/** Files are the sources, and the rules of the target that is looked at. */
export class Design extends DesignCard {
  @ApiProperty({ type: [DesignFile] }) files!: DesignFile[];
}

export class PartSummary {
  @ApiProperty() name!: string;
  @ApiProperty() family!: string;
  @ApiProperty() luts!: number;
  @ApiProperty() signalPins!: number;
}

/** RFC 9457. */
export class Problem {
  @ApiProperty() type!: string;
  @ApiProperty() title!: string;
  @ApiProperty() status!: number;
  @ApiProperty() detail!: string;
  @ApiPropertyOptional({ type: [String] }) errors?: string[];
}

export type { Finding, StageName, StageRecord };
