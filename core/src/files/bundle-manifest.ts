import { Type } from 'class-transformer';
import {
  ArrayMaxSize,
  IsArray,
  IsIn,
  IsInt,
  IsOptional,
  IsString,
  Length,
  Matches,
  Max,
  Min,
  ValidateNested,
} from 'class-validator';

/** Bumped when older programs could not open what is written. */
export const BUNDLE_VERSION = 3;
/** What a bundle without an undo history is written as, for older programs open it. */
export const PLAIN_BUNDLE_VERSION = 2;

/** A recording in a bundle. */
export class BundledRecording {
  @IsString() @Matches(/^[0-9a-f]{64}$/) id!: string;
  @IsString() @Length(1, 400) name!: string;
  @IsInt() @Min(8000) @Max(192000) sampleRate!: number;
  @IsInt() @Min(1) @Max(2) channels!: number;
  /** Samples a channel. */
  @IsInt() @Min(1) @Max(1_100_000_000) length!: number;
  @IsIn(['flac', 'wav']) as!: 'flac' | 'wav';
  @IsOptional() @IsString() @Length(0, 200) origin?: string;
}

/** What a bundle says of itself, in essim.json. */
export class BundleManifest {
  @IsIn(['essim song bundle']) format!: string;
  @IsInt() @Min(1) version!: number;
  @IsArray()
  @ArrayMaxSize(2000)
  @ValidateNested({ each: true })
  @Type(() => BundledRecording)
  recordings!: BundledRecording[];
}
