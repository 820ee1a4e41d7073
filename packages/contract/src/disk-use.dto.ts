import { ApiProperty } from "@nestjs/swagger";

/** What a design takes on disk, in bytes as they are stored. Results that designs share count in each of them. */
export class DiskUse {
  @ApiProperty() designId!: string;
  /** Its files as they are. */
  @ApiProperty() files!: number;
  /** Earlier versions of its files. */
  @ApiProperty() history!: number;
  /** Trials without their results. */
  @ApiProperty() trials!: number;
  /** Results of stages. */
  @ApiProperty() results!: number;
  /** Runs of test benches, with their waves. */
  @ApiProperty() runs!: number;
}
