import 'reflect-metadata';
import { plainToInstance, Type } from 'class-transformer';
import {
  IsArray,
  IsBoolean,
  IsIn,
  IsInt,
  IsNumber,
  IsObject,
  IsOptional,
  IsString,
  Length,
  Matches,
  Max,
  Min,
  ValidateNested,
  validateSync,
  type ValidationError,
} from 'class-validator';

/** Bumped with every change of the stored shape; migrations.ts brings older ones forward. */
export const DOCUMENT_VERSION = 1;

export const ROLES = ['lead', 'double', 'harmony', 'part', 'backing'] as const;
export type Role = (typeof ROLES)[number];
export const RANGES = ['auto', 'low', 'mid', 'high'] as const;

/**
 * What was decided about one note. Every field is optional: absent means as sung. Belongs to the take's own time: start and end say
 * which note is meant, in source seconds, and find it again when the take is read anew.
 */
export class NoteEdit {
  @IsNumber() @Min(0) start!: number;
  @IsNumber() @Min(0) end!: number;
  /** Where the note is meant to be, MIDI with a fraction. */
  @IsOptional() @IsNumber() @Min(0) @Max(128) target?: number;
  /** How far the centre goes there, 0-100; 100 when a target is set. */
  @IsOptional() @IsNumber() @Min(0) @Max(100) aim?: number;
  /** Slow unsteadiness kept, 0-100. */
  @IsOptional() @IsNumber() @Min(0) @Max(100) wander?: number;
  /** Fast regular movement kept, 0-200. */
  @IsOptional() @IsNumber() @Min(0) @Max(200) vibrato?: number;
  /** Length of the way in, ms. */
  @IsOptional() @IsNumber() @Min(0) @Max(1000) glide?: number;
  @IsOptional() @IsNumber() @Min(0) @Max(100) scoop?: number;
  @IsOptional() @IsNumber() @Min(0) @Max(100) fall?: number;
  /** Placed by hand: no broad command moves it. */
  @IsOptional() @IsBoolean() pinned?: boolean;
}

export class Word {
  @IsNumber() @Min(0) start!: number;
  @IsNumber() @Min(0) end!: number;
  @IsString() @Length(1, 100) text!: string;
}

export class Take {
  @IsString() @Matches(/^[\w-]{1,64}$/) id!: string;
  @IsString() @Length(1, 200) name!: string;
  /** SHA-256 of the source's samples. */
  @IsString() @Matches(/^[0-9a-f]{64}$/) sourceId!: string;
  /** Where the source's first sample lies in the song, s. */
  @IsNumber() offsetSeconds!: number;
  @IsIn(RANGES) range: (typeof RANGES)[number] = 'auto';
  /** By the note's key, see noteKey(). */
  @IsObject() edits: Record<string, NoteEdit> = {};
  @IsArray() @ValidateNested({ each: true }) @Type(() => Word) words: Word[] = [];
}

export class Track {
  @IsString() @Matches(/^[\w-]{1,64}$/) id!: string;
  @IsString() @Length(1, 200) name!: string;
  @IsIn(ROLES) role!: Role;
  @IsNumber() @Min(-96) @Max(24) levelDb: number = 0;
  @IsNumber() @Min(-1) @Max(1) pan: number = 0;
  @IsBoolean() mute: boolean = false;
  @IsBoolean() solo: boolean = false;
  @IsArray() @ValidateNested({ each: true }) @Type(() => Take) takes: Take[] = [];
  /** The take that is heard. */
  @IsString() takeId!: string;
}

export class SongKey {
  @IsInt() @Min(0) @Max(11) tonic!: number;
  @IsIn(['major', 'minor']) mode!: 'major' | 'minor';
}

export class Tempo {
  @IsNumber() @Min(20) @Max(400) bpm!: number;
  @IsInt() @Min(1) @Max(32) beatsPerBar!: number;
  /** Where bar 1 begins, s. */
  @IsNumber() firstBarSeconds!: number;
}

export class Chord {
  @IsNumber() @Min(0) start!: number;
  @IsString() @Length(1, 20) name!: string;
}

/** A song: a small document of edits over recordings that never change. Treated as immutable; commands make new ones. */
export class Song {
  @IsInt() version: number = DOCUMENT_VERSION;
  @IsString() @Matches(/^[\w-]{1,64}$/) id!: string;
  @IsString() @Length(1, 200) name!: string;
  @IsInt() @Min(8000) @Max(192000) sampleRate!: number;
  /** Chosen by hand; null: the lead's estimate is used. */
  @IsOptional() @ValidateNested() @Type(() => SongKey) key: SongKey | null = null;
  @IsNumber() @Min(400) @Max(480) referenceHz: number = 440;
  @IsOptional() @ValidateNested() @Type(() => Tempo) tempo: Tempo | null = null;
  @IsArray() @ValidateNested({ each: true }) @Type(() => Chord) chords: Chord[] = [];
  @IsArray() @ValidateNested({ each: true }) @Type(() => Track) tracks: Track[] = [];
}

/** A document from outside that cannot be used; the message names the field. */
export class DocumentError extends Error {
  override name = 'DocumentError';
}

/** First failing field of a tree of validation errors, with its path. */
function firstProblem(errors: ValidationError[], path = ''): string | null {
  for (const e of errors) {
    const here = path ? `${path}.${e.property}` : e.property;
    if (e.constraints) return `${here}: ${Object.values(e.constraints)[0]}`;
    const inner = firstProblem(e.children ?? [], here);
    if (inner) return inner;
  }
  return null;
}

/** Checks one value against a document class. @throws DocumentError naming the field */
export function validated<T extends object>(type: new () => T, value: unknown): T {
  if (typeof value !== 'object' || value === null)
    throw new DocumentError(`expected ${type.name.toLowerCase()}, found ${JSON.stringify(value)}`);
  const instance = plainToInstance(type, value);
  const problem = firstProblem(validateSync(instance, { whitelist: true, forbidUnknownValues: true }));
  if (problem) throw new DocumentError(problem);
  return instance;
}

/** Checks a document that comes from outside. @throws DocumentError naming the field, or for a version newer than this program */
export function validatedSong(value: unknown): Song {
  const version = (value as { version?: unknown })?.version;
  if (typeof version === 'number' && version > DOCUMENT_VERSION)
    throw new DocumentError(
      `this song was saved by a newer Essim (format ${version}; this one reads up to ${DOCUMENT_VERSION})`,
    );
  const song = validated(Song, value);
  for (const track of song.tracks) {
    for (const take of track.takes)
      for (const [key, edit] of Object.entries(take.edits)) take.edits[key] = validated(NoteEdit, edit);
    if (track.takes.length && !track.takes.some(t => t.id === track.takeId))
      throw new DocumentError(`track "${track.name}": its chosen take is missing`);
  }
  return song;
}

/** The key under which a note's edit is kept: its start in milliseconds of source time. */
export const noteKey = (note: { start: number }): string => `n${Math.round(note.start * 1000)}`;

/** The take of a track that is heard. */
export const heardTake = (track: Track): Take | undefined => track.takes.find(t => t.id === track.takeId);
