import type { BenchProgress, BenchVerdict } from "@gate-clock/core";
import { ApiProperty, ApiPropertyOptional } from "@nestjs/swagger";
import { Type } from "class-transformer";
import {
  ArrayMaxSize,
  IsArray,
  IsBoolean,
  IsInt,
  IsNumber,
  IsObject,
  IsOptional,
  IsString,
  Length,
  Max,
  MaxLength,
  Min,
  ValidateNested,
} from "class-validator";

/**
 * Names that something may be kept by with a design: `waves:` or `verdict:` and the test bench, `proof:` or `baseline:` and a target,
 * `accepted:` and a finding.
 */
export const keptNamePattern =
  /^(?:(?:waves|verdict):.{1,200}|(?:proof|baseline):[0-9a-f-]{36}|accepted:[0-9a-f]{24}(?:-\d{1,6})?)$/s;
/** Longest kept value, as JSON text. */
export const maxKeptText = 200_000;

export class KeepDto {
  /** Plain data; the web application alone knows its form. */
  @ApiProperty({ type: "object", additionalProperties: true })
  @IsObject()
  value!: Record<string, unknown>;
}

export class Kept {
  @ApiProperty() name!: string;
  @ApiProperty({ type: "object", additionalProperties: true }) value!: Record<string, unknown>;
  @ApiProperty() updatedAt!: string;
}

class RecordScopeDto {
  @ApiProperty({ example: "dut.control" })
  @IsString()
  @MaxLength(2000)
  path!: string;

  @ApiProperty({ description: "With all that is inside the scope." })
  @IsBoolean()
  below!: boolean;
}

export class StartBenchRunDto {
  @ApiProperty({ example: "pick_counter_bench" })
  @IsString()
  @Length(1, 200)
  bench!: string;

  @ApiProperty()
  @IsInt()
  @Min(-(2 ** 31))
  @Max(2 ** 32 - 1)
  seed!: number;

  @ApiPropertyOptional({ nullable: true, type: Number, description: "Seconds; null: to the end." })
  @IsOptional()
  @IsNumber({ allowNaN: false, allowInfinity: false })
  @Min(0)
  until?: number | null;

  @ApiPropertyOptional({ nullable: true, type: [RecordScopeDto], description: "Null: every signal; empty: none." })
  @IsOptional()
  @IsArray()
  @ArrayMaxSize(1000)
  @ValidateNested({ each: true })
  @Type(() => RecordScopeDto)
  record?: RecordScopeDto[] | null;
}

const benchRunStatuses = ["queued", "running", "done", "failed", "cancelled"] as const;
export type BenchRunStatus = (typeof benchRunStatuses)[number];

/** A run of a test bench on the server. */
export class BenchRunInfo {
  @ApiProperty() id!: string;
  @ApiProperty() designId!: string;
  /** Counts from 1 within its design. */
  @ApiProperty() number!: number;
  @ApiProperty() bench!: string;
  @ApiProperty() seed!: number;
  @ApiProperty({ nullable: true, type: Number }) until!: number | null;
  @ApiProperty({ nullable: true, type: [RecordScopeDto] }) record!: RecordScopeDto[] | null;
  /** `done` says that it came to an end, not that the bench passed. */
  @ApiProperty({ enum: benchRunStatuses }) status!: BenchRunStatus;
  @ApiProperty({ nullable: true, type: "object", additionalProperties: true }) progress!: BenchProgress | null;
  @ApiProperty({ nullable: true, type: "object", additionalProperties: true }) verdict!: BenchVerdict | null;
  /** Bytes of its result, compressed; 0 without one. */
  @ApiProperty() resultBytes!: number;
  /** What went wrong in the server, as opposed to the design. */
  @ApiProperty({ nullable: true, type: String }) failure!: string | null;
  @ApiProperty() createdAt!: string;
  @ApiProperty({ nullable: true, type: String }) startedAt!: string | null;
  @ApiProperty({ nullable: true, type: String }) finishedAt!: string | null;
}
