import 'reflect-metadata';
import { plainToInstance, Type } from 'class-transformer';
import { STRETCH_KINDS, type StretchKind } from '../read/correct';
import { migrated } from './migrations';
import { withParts } from './parts';
import {
  ArrayMaxSize,
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
export const DOCUMENT_VERSION = 6;

export const ROLES = ['lead', 'double', 'harmony', 'part', 'backing'] as const;
export type Role = (typeof ROLES)[number];
export const RANGES = ['auto', 'low', 'mid', 'high'] as const;
/** Which channels of a recording a take uses: one of two, their mean, both as they are, or two microphones of one singer. */
export const CHANNEL_CHOICES = ['left', 'right', 'mix', 'stereo', 'linked'] as const;
export type ChannelChoice = (typeof CHANNEL_CHOICES)[number];
export const COLOURS = ['teal', 'violet', 'rose', 'blue', 'slate'] as const;
export type Colour = (typeof COLOURS)[number];

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

/** A stretch of a take, source seconds. */
export class StretchSpan {
  @IsNumber() @Min(0) start!: number;
  @IsNumber() @Min(0) end!: number;
}
export class HeardStretch extends StretchSpan {
  @IsNumber() @Min(12) @Max(120) midi!: number;
}
export class StretchOfNotes extends StretchSpan {
  @IsArray() @ValidateNested({ each: true }) @Type(() => StretchSpan) notes!: StretchSpan[];
}
export class StretchOfKind extends StretchSpan {
  @IsIn(STRETCH_KINDS) kind!: StretchKind;
}

/** What the user put right in how a take is read; see read/correct.ts. No sample of an unedited note changes by it. */
export class Corrections {
  @IsArray() @ValidateNested({ each: true }) @Type(() => HeardStretch) heard: HeardStretch[] = [];
  @IsArray() @ValidateNested({ each: true }) @Type(() => StretchOfNotes) regions: StretchOfNotes[] = [];
  @IsArray() @ValidateNested({ each: true }) @Type(() => StretchOfKind) kinds: StretchOfKind[] = [];
  /** Doubtful spots looked at and found right: reason and moment. */
  @IsArray() @IsString({ each: true }) @Length(1, 60, { each: true }) looked: string[] = [];
}

export class Take {
  @IsString() @Matches(/^[\w-]{1,64}$/) id!: string;
  @IsString() @Length(1, 200) name!: string;
  /** SHA-256 of the source's samples. */
  @IsString() @Matches(/^[0-9a-f]{64}$/) sourceId!: string;
  /** Where the source's first sample lies in the song, s. */
  @IsNumber() offsetSeconds!: number;
  @IsIn(RANGES) range: (typeof RANGES)[number] = 'auto';
  @IsIn(CHANNEL_CHOICES) channels: ChannelChoice = 'stereo';
  /** By the note's key, see noteKey(). */
  @IsObject() edits: Record<string, NoteEdit> = {};
  @IsArray() @ValidateNested({ each: true }) @Type(() => Word) words: Word[] = [];
  /** Null: as Essim reads it. */
  @IsOptional() @ValidateNested() @Type(() => Corrections) corrections: Corrections | null = null;
}

/**
 * One stretch of a comp: from `at` on, until the next segment begins, the track is this take. Segments therefore always cover the
 * whole song; what a take does not reach is silence.
 */
export class Segment {
  /** Where it begins, song s; the first begins at 0. */
  @IsNumber() @Min(0) at!: number;
  @IsString() takeId!: string;
  /** Song time minus source time; absent: the take's own offset. Set for a word borrowed from elsewhere. */
  @IsOptional() @IsNumber() shiftSeconds?: number;
  /** Length of the crossfade with the segment before, about `at`; ms. */
  @IsNumber() @Min(0) @Max(500) fadeMs: number = 12;
  @IsOptional() @IsNumber() @Min(-24) @Max(24) levelDb?: number;
}

/** Something said about a phrase. */
export class Remark {
  @IsString() @Matches(/^[\w-]{1,64}$/) id!: string;
  @IsString() @Length(1, 2000) text!: string;
  @IsIn(['client', 'editor']) from!: 'client' | 'editor';
  /** As typed in; may be empty. */
  @IsString() @Length(0, 100) author: string = '';
  /** The moment meant, song s. */
  @IsOptional() @IsNumber() @Min(0) seconds?: number;
  @IsOptional() @IsBoolean() done?: boolean;
}

/** A phrase whose borders, name, status or remarks the user has touched; song time. */
export class PhraseMark {
  @IsString() @Matches(/^[\w-]{1,64}$/) id!: string;
  @IsNumber() @Min(0) start!: number;
  @IsNumber() @Min(0) end!: number;
  /** Empty: its words are its name. */
  @IsString() @Length(0, 200) name: string = '';
  @IsBoolean() checked: boolean = false;
  @IsArray() @ValidateNested({ each: true }) @Type(() => Remark) remarks: Remark[] = [];
}

/** A pair of moments said by hand to belong together: follower and lead, song s. */
export class TieMark {
  @IsNumber() @Min(0) follower!: number;
  @IsNumber() @Min(0) lead!: number;
  /** Met exactly whatever the closeness. */
  @IsOptional() @IsBoolean() locked?: boolean;
}

/** A word moved by hand: follower time, and where it is heard, song s. */
export class MovedWord {
  @IsNumber() @Min(0) at!: number;
  @IsNumber() @Min(0) to!: number;
}

/** What aligning found; kept, so that the same song sounds the same whatever later versions would find. */
export class FoundAlignment {
  /** What it was found in: recordings, comps and ties of both tracks. */
  @IsString() @Length(1, 20000) stamp!: string;
  /** Follower time and lead time by turns, both rising; song s. */
  @IsArray() @ArrayMaxSize(400000) @IsNumber({}, { each: true }) points!: number[];
  @IsArray() @ValidateNested({ each: true }) @Type(() => StretchSpan) apart: StretchSpan[] = [];
  @IsArray() @ValidateNested({ each: true }) @Type(() => StretchSpan) rests: StretchSpan[] = [];
  @IsNumber() @Min(0) @Max(1) confidence!: number;
}

/** How a track follows its stack lead. */
export class AlignRule {
  /** 0-100: how near its timing comes. */
  @IsNumber() @Min(0) @Max(100) closeness: number = 100;
  /** 0-100: how near its pitch comes. */
  @IsNumber() @Min(0) @Max(100) lean: number = 0;
  /** 0-100: how near its phrasing of loudness comes. */
  @IsNumber() @Min(0) @Max(100) levelLean: number = 0;
  /** Most that a word is bent. */
  @IsNumber() @Min(1) @Max(2.5) bending: number = 1.6;
  @IsArray() @ArrayMaxSize(5000) @ValidateNested({ each: true }) @Type(() => TieMark) ties: TieMark[] = [];
  @IsArray() @ArrayMaxSize(5000) @ValidateNested({ each: true }) @Type(() => MovedWord) moved: MovedWord[] = [];
  /** Stretches left as they were sung. */
  @IsArray() @ArrayMaxSize(5000) @ValidateNested({ each: true }) @Type(() => StretchSpan) asSung: StretchSpan[] = [];
}

/** How a part is made from another track. Its takes are that track's. */
export class PartRule {
  @IsString() @Matches(/^[\w-]{1,64}$/) fromId!: string;
  @IsIn(['steps', 'semitones']) by!: 'steps' | 'semitones';
  @IsInt() @Min(-24) @Max(24) amount!: number;
  /** Where it sings, song s; null: everywhere. */
  @IsOptional() @IsArray() @ArrayMaxSize(1000) @ValidateNested({ each: true }) @Type(() => StretchSpan) spans:
    StretchSpan[] | null = null;
  /** Differences in time and pitch, 0-200; 100 is what two good singers differ by. */
  @IsNumber() @Min(0) @Max(200) scatterTime: number = 0;
  @IsNumber() @Min(0) @Max(200) scatterPitch: number = 0;
  @IsInt() @Min(1) @Max(1e9) seed: number = 1;
  /** Semitones. */
  @IsNumber() @Min(-12) @Max(12) formant: number = 0;
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
  /** The comp: which take is heard from when on, in time order. Empty only while there are no takes. */
  @IsArray() @ValidateNested({ each: true }) @Type(() => Segment) segments: Segment[] = [];
  /** Chosen by hand; null: the role's. */
  @IsOptional() @IsIn(COLOURS) colour: Colour | null = null;
  /** The stack lead this track follows. */
  @IsOptional() @IsString() followsId: string | null = null;
  /** How it follows; null until something was said about it. */
  @IsOptional() @ValidateNested() @Type(() => AlignRule) align: AlignRule | null = null;
  /** What aligning it found; null until it was aligned. */
  @IsOptional() @ValidateNested() @Type(() => FoundAlignment) found: FoundAlignment | null = null;
  /** What makes it a part; null: it was sung. */
  @IsOptional() @ValidateNested() @Type(() => PartRule) part: PartRule | null = null;
  /** Phrases once the user has touched them; null: as found in the takes. */
  @IsOptional() @IsArray() @ValidateNested({ each: true }) @Type(() => PhraseMark) phrases: PhraseMark[] | null = null;
}

export class SongKey {
  @IsInt() @Min(0) @Max(11) tonic!: number;
  @IsIn(['major', 'minor']) mode!: 'major' | 'minor';
}

/** Another tempo from a beat on. */
export class TempoChange {
  /** Beats from the start of bar 1; may be a fraction. */
  @IsNumber() @Min(0) beat!: number;
  @IsNumber() @Min(20) @Max(400) bpm!: number;
}

/** Another metre from a bar on. */
export class MetreChange {
  @IsInt() @Min(2) bar!: number;
  @IsInt() @Min(1) @Max(32) beatsPerBar!: number;
}

export class Tempo {
  @IsNumber() @Min(20) @Max(400) bpm!: number;
  @IsInt() @Min(1) @Max(32) beatsPerBar!: number;
  /** What one beat is: 4 = a quarter, 8 = an eighth. */
  @IsIn([2, 4, 8, 16]) beatUnit: number = 4;
  /** Where bar 1 begins, s. */
  @IsNumber() firstBarSeconds!: number;
  @IsArray() @ValidateNested({ each: true }) @Type(() => TempoChange) changes: TempoChange[] = [];
  @IsArray() @ValidateNested({ each: true }) @Type(() => MetreChange) metres: MetreChange[] = [];
}

/** Another key from a bar on. */
export class KeyChange {
  @IsInt() @Min(2) bar!: number;
  @IsInt() @Min(0) @Max(11) tonic!: number;
  @IsIn(['major', 'minor']) mode!: 'major' | 'minor';
}

export class Chord {
  @IsNumber() @Min(0) start!: number;
  @IsString() @Length(1, 20) name!: string;
}

/** From one moment of the song to another. */
export class Place {
  @IsNumber() @Min(0) start!: number;
  @IsNumber() @Min(0) end!: number;
}

/** A selection kept by name: places rather than notes, so that it outlives another reading. Song time. */
export class KeptSelection {
  @IsString() @Matches(/^[\w-]{1,64}$/) id!: string;
  @IsString() @Length(1, 100) name!: string;
  @IsString() @Matches(/^[\w-]{1,64}$/) trackId!: string;
  /** Where its notes lie, in time order; or the one stretch it is. */
  @IsArray() @ArrayMaxSize(20000) @ValidateNested({ each: true }) @Type(() => Place) places: Place[] = [];
  /** Whether it is a stretch, whatever notes it cuts through. */
  @IsBoolean() stretch: boolean = false;
}

/** A song: a small document of edits over recordings that never change. Treated as immutable; commands make new ones. */
export class Song {
  @IsInt() version: number = DOCUMENT_VERSION;
  @IsString() @Matches(/^[\w-]{1,64}$/) id!: string;
  @IsString() @Length(1, 200) name!: string;
  @IsInt() @Min(8000) @Max(192000) sampleRate!: number;
  /** Chosen by hand; null: the lead's estimate is used. */
  @IsOptional() @ValidateNested() @Type(() => SongKey) key: SongKey | null = null;
  @IsArray() @ValidateNested({ each: true }) @Type(() => KeyChange) keyChanges: KeyChange[] = [];
  @IsNumber() @Min(400) @Max(480) referenceHz: number = 440;
  @IsOptional() @ValidateNested() @Type(() => Tempo) tempo: Tempo | null = null;
  @IsArray() @ValidateNested({ each: true }) @Type(() => Chord) chords: Chord[] = [];
  @IsArray() @ValidateNested({ each: true }) @Type(() => Track) tracks: Track[] = [];
  @IsArray() @ArrayMaxSize(1000) @ValidateNested({ each: true }) @Type(() => KeptSelection) kept: KeptSelection[] = [];
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
  const song = validated(Song, migrated(value, DOCUMENT_VERSION));
  for (const track of song.tracks) {
    for (const take of track.takes)
      for (const [key, edit] of Object.entries(take.edits)) take.edits[key] = validated(NoteEdit, edit);
    const missing = track.segments.find(g => !track.takes.some(t => t.id === g.takeId));
    if (missing) throw new DocumentError(`track "${track.name}": its comp names a take that is not there`);
    if (track.takes.length && !track.segments.length)
      throw new DocumentError(`track "${track.name}": its comp is missing`);
    if (track.segments.some((g, i) => (i ? g.at <= track.segments[i - 1].at : g.at !== 0)))
      throw new DocumentError(`track "${track.name}": its comp does not run from the start in order`);
    const points = track.found?.points ?? [];
    if (points.length % 2 || points.some((v, i) => i >= 2 && v <= points[i - 2]))
      throw new DocumentError(`track "${track.name}": its alignment does not run forward`);
    if (track.followsId && circles(song, track.id, track.followsId))
      throw new DocumentError(`track "${track.name}": it follows itself in a circle`);
  }
  return withParts(song);
}

/** The key under which a note's edit is kept: its start in milliseconds of source time. */
export const noteKey = (note: { start: number }): string => `n${Math.round(note.start * 1000)}`;

/** The take most of a track is made of; what the track reads like while its comp is not looked at closely. */
export function mainTake(track: Track): Take | undefined {
  const first = track.segments[0];
  return track.takes.find(t => t.id === first?.takeId) ?? track.takes[0];
}

/** Whether a track following another would close a circle. */
export function circles(song: Pick<Song, 'tracks'>, trackId: string, followsId: string): boolean {
  const seen = new Set([trackId]);
  for (let at: string | null | undefined = followsId; at; at = song.tracks.find(t => t.id === at)?.followsId) {
    if (seen.has(at)) return true;
    seen.add(at);
  }
  return false;
}
