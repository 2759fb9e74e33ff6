import 'reflect-metadata';
import { Type } from 'class-transformer';
import {
  ArrayMaxSize,
  ArrayMinSize,
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
  registerDecorator,
} from 'class-validator';
import { STRETCH_KINDS, type StretchKind } from '../read/correct';

/**
 * The records a song is made of, each with its bounds. What a step puts and what comes in from outside are checked against the same
 * classes (check.ts); how records hang together is said in records.ts.
 */

/** Bumped with every change of the stored shape; migrations.ts brings older ones forward. */
export const DOCUMENT_VERSION = 12;

/** A day: nothing in a song lies further from its zero. */
export const LONGEST_SECONDS = 86400;

const all =
  (...decorators: PropertyDecorator[]): PropertyDecorator =>
  (target, name) =>
    decorators.forEach(d => d(target, name));
const IsId = () => all(IsString(), Matches(/^[\w-]{1,64}$/, { message: '$property must be an id' }));
/** A moment that is not before the zero of its clock. */
const IsTime = () => all(IsNumber(), Min(0), Max(LONGEST_SECONDS));
const IsMidi = () => all(IsNumber(), Min(0), Max(128));
const IsShare = (most = 100) => all(IsNumber(), Min(0), Max(most));
const IsListOf = (type: () => new () => object, most: number) =>
  all(IsArray(), ArrayMaxSize(most), ValidateNested({ each: true }), Type(type));
/** Not before what begins it. */
const IsAfterStart = (): PropertyDecorator => (target, name) =>
  registerDecorator({
    name: 'isAfterStart',
    target: target.constructor,
    propertyName: String(name),
    validator: {
      validate: (value, args) => typeof value === 'number' && value >= (args!.object as { start: number }).start,
      defaultMessage: () => '$property must not lie before start',
    },
  });

export const ROLES = ['lead', 'double', 'harmony', 'part', 'backing'] as const;
export type Role = (typeof ROLES)[number];
export const RANGES = ['auto', 'low', 'mid', 'high'] as const;
/** Which channels of a recording a take uses: one of two, their mean, both as they are, or two microphones of one singer. */
export const CHANNEL_CHOICES = ['left', 'right', 'mix', 'stereo', 'linked'] as const;
export type ChannelChoice = (typeof CHANNEL_CHOICES)[number];
export const COLOURS = ['teal', 'violet', 'rose', 'blue', 'slate'] as const;
export type Colour = (typeof COLOURS)[number];

/** From one moment to another; which clock is said where it is used. */
export class SpanRecord {
  @IsTime() start!: number;
  @IsTime() @IsAfterStart() end!: number;
}

/** How a fade runs: evenly, softly at both ends, most of it at first, most of it at last. */
export const FADE_SHAPES = ['straight', 'smooth', 'early', 'late'] as const;
export type FadeShape = (typeof FADE_SHAPES)[number];
/** Bands the colour of a note is evened in. */
export const COLOUR_BANDS = 16;
/** Level changes. */
const IsDecibels = () => all(IsNumber(), Min(-60), Max(24));

/** A vibrato added to a note. */
export class VibratoRecord {
  /** After the note's onset, before it begins. */
  @IsNumber() @Min(0) @Max(10000) delayMs: number = 250;
  /** In which it grows to its depth. */
  @IsNumber() @Min(0) @Max(10000) buildMs: number = 400;
  /** From the middle to the top. */
  @IsNumber() @Min(1) @Max(200) depthCents: number = 35;
  @IsNumber() @Min(2) @Max(12) rateHz: number = 5.5;
  /** 0 a machine's, 100 an untrained voice's. */
  @IsShare() unrest: number = 30;
  /** How much loudness and colour swing along. */
  @IsShare() sway: number = 0;
}

/** Most points of one drawn stroke. */
const MOST_POINTS = 4000;
/** Strokes, each times and MIDI pitches by turns, the times rising from stroke to stroke. */
const IsDrawing = (): PropertyDecorator => (target, name) =>
  registerDecorator({
    name: 'isDrawing',
    target: target.constructor,
    propertyName: String(name),
    validator: {
      validate: value => {
        let last = -Infinity;
        const isStroke = (stroke: unknown) =>
          Array.isArray(stroke) &&
          stroke.length >= 4 &&
          stroke.length % 2 === 0 &&
          stroke.length <= 2 * MOST_POINTS &&
          stroke.every((v: unknown, i) => {
            if (typeof v !== 'number' || !Number.isFinite(v)) return false;
            if (i % 2) return v >= 0 && v <= 128;
            const rises = v > last && v >= 0 && v <= LONGEST_SECONDS;
            last = v;
            return rises;
          });
        return Array.isArray(value) && value.length > 0 && value.length <= 200 && value.every(isStroke);
      },
      defaultMessage: () => '$property must be strokes of rising times with pitches',
    },
  });

/** What was decided about a part of a note, source seconds; what is absent is the note's. */
export class NotePart extends SpanRecord {
  @IsOptional() @IsShare() aim?: number;
  @IsOptional() @IsShare() wander?: number;
  @IsOptional() @IsShare(200) vibrato?: number;
  @IsOptional() @IsShare() scoop?: number;
  @IsOptional() @IsShare() fall?: number;
  /** Its formants, semitones, and how far they follow its pitch. */
  @IsOptional() @IsNumber() @Min(-12) @Max(12) formant?: number;
  @IsOptional() @IsShare() follow?: number;
}

/**
 * What was decided about one note. Every field but its span is optional: absent means as sung. The span, in source seconds, says which
 * note is meant; match.ts finds it again, whatever becomes of the reading.
 */
export class NoteEdit extends SpanRecord {
  /** Where the note is meant to be, MIDI with a fraction. */
  @IsOptional() @IsMidi() target?: number;
  /** How far the centre goes there, 0-100; 100 when a target is set. */
  @IsOptional() @IsShare() aim?: number;
  /** Slow unsteadiness kept, 0-100. */
  @IsOptional() @IsShare() wander?: number;
  /** Fast regular movement kept, 0-200. */
  @IsOptional() @IsShare(200) vibrato?: number;
  /** Length of the way in, ms. */
  @IsOptional() @IsNumber() @Min(0) @Max(1000) glide?: number;
  /** How much later than sung the way in lies, ms. */
  @IsOptional() @IsNumber() @Min(-500) @Max(500) glidePlace?: number;
  @IsOptional() @IsShare() scoop?: number;
  @IsOptional() @IsShare() fall?: number;
  /** Rises by so many cents from its start to its end. */
  @IsOptional() @IsNumber() @Min(-1200) @Max(1200) tilt?: number;
  /** How far its first and its last moment lie from where they would, cents. */
  @IsOptional() @IsNumber() @Min(-1200) @Max(1200) startCents?: number;
  @IsOptional() @IsNumber() @Min(-1200) @Max(1200) endCents?: number;
  /** How long after its onset it begins to be corrected, ms. */
  @IsOptional() @IsNumber() @Min(0) @Max(10000) begin?: number;
  /** What of it counts for its centre; source seconds. */
  @IsOptional() @ValidateNested() @Type(() => SpanRecord) centre?: SpanRecord;
  /** Another rate for the vibrato that was sung, Hz. */
  @IsOptional() @IsNumber() @Min(2) @Max(12) vibratoHz?: number;
  /** How far its swings are made alike, 0-100. */
  @IsOptional() @IsShare() even?: number;
  @IsOptional() @ValidateNested() @Type(() => VibratoRecord) added?: VibratoRecord;
  /** It is drawn to its pitch as a whole take is, with this time constant, ms; its body then has no faders of its own. */
  @IsOptional() @IsNumber() @Min(0) @Max(600) settle?: number;
  /** Parts of it of which something else was decided, in order. */
  @IsOptional() @IsListOf(() => NotePart, 200) parts?: NotePart[];
  /** Its pitch where it was drawn by hand; source seconds. */
  @IsOptional() @IsDrawing() drawn?: number[][];
  /** How loud it is at its start, middle and end beside as sung, dB. */
  @IsOptional() @IsDecibels() startDb?: number;
  @IsOptional() @IsDecibels() middleDb?: number;
  @IsOptional() @IsDecibels() endDb?: number;
  /** What evening levels lifts or eases it by, and how far quiet notes were to be lifted and loud ones eased. */
  @IsOptional() @IsDecibels() evenDb?: number;
  @IsOptional() @IsShare() lift?: number;
  @IsOptional() @IsShare() ease?: number;
  /** Faded in and out over so long, ms. */
  @IsOptional() @IsNumber() @Min(0) @Max(60000) fadeIn?: number;
  @IsOptional() @IsNumber() @Min(0) @Max(60000) fadeOut?: number;
  @IsOptional() @IsIn(FADE_SHAPES) fadeShape?: FadeShape;
  /** Not heard; deleted: no note any more either. */
  @IsOptional() @IsIn(['muted', 'deleted']) silent?: 'muted' | 'deleted';
  /** Formants moved, semitones, and how far they follow its pitch. */
  @IsOptional() @IsNumber() @Min(-12) @Max(12) formant?: number;
  @IsOptional() @IsShare() follow?: number;
  /** What evening its colour adds to each band, dB, and how much of that is done. */
  @IsOptional()
  @IsArray()
  @ArrayMinSize(COLOUR_BANDS)
  @ArrayMaxSize(COLOUR_BANDS)
  @IsNumber({}, { each: true })
  @Min(-24, { each: true })
  @Max(24, { each: true })
  colour?: number[];
  @IsOptional() @IsShare() colourAmount?: number;
  /** Brighter or darker: tilted about 2 kHz, by so many dB at 8 kHz. */
  @IsOptional() @IsNumber() @Min(-12) @Max(12) brightness?: number;
  /** Its loudness swings by so much about its own, and how often. */
  @IsOptional() @IsNumber() @Min(0) @Max(12) swayDb?: number;
  @IsOptional() @IsNumber() @Min(0.1) @Max(12) swayHz?: number;
  /** Placed by hand: no broad command moves it. */
  @IsOptional() @IsBoolean() pinned?: boolean;
}

export class Word extends SpanRecord {
  @IsString() @Length(1, 100) text!: string;
}

/** A stretch heard at another pitch than Essim heard; source seconds. */
export class HeardStretch extends SpanRecord {
  @IsNumber() @Min(12) @Max(120) midi!: number;
}
/** A stretch whose notes are given; source seconds. */
export class StretchOfNotes extends SpanRecord {
  @IsListOf(() => SpanRecord, 20000) notes!: SpanRecord[];
}
/** A stretch whose kind is given; source seconds. */
export class StretchOfKind extends SpanRecord {
  @IsIn(STRETCH_KINDS) kind!: StretchKind;
}

/** What the user put right in how a take is read; see read/correct.ts. No sample of an unedited note changes by it. */
export class Corrections {
  @IsListOf(() => HeardStretch, 20000) heard: HeardStretch[] = [];
  @IsListOf(() => StretchOfNotes, 20000) regions: StretchOfNotes[] = [];
  @IsListOf(() => StretchOfKind, 20000) kinds: StretchOfKind[] = [];
  /** Doubtful spots looked at and found right: reason and moment. */
  @IsArray() @ArrayMaxSize(20000) @IsString({ each: true }) @Length(1, 60, { each: true }) looked: string[] = [];
}

export class Take {
  @IsId() id!: string;
  @IsString() @Length(1, 200) name!: string;
  /** SHA-256 of the source's samples. */
  @IsString() @Matches(/^[0-9a-f]{64}$/) sourceId!: string;
  /** Where the source's first sample lies in the song, s. */
  @IsNumber() @Min(-LONGEST_SECONDS) @Max(LONGEST_SECONDS) offsetSeconds!: number;
  @IsIn(RANGES) range: (typeof RANGES)[number] = 'auto';
  @IsIn(CHANNEL_CHOICES) channels: ChannelChoice = 'stereo';
  /** By their ids, which mean nothing. */
  @IsObject() edits: Record<string, NoteEdit> = {};
  @IsListOf(() => Word, 20000) words: Word[] = [];
  /** Unpitched sounds turned up or down one by one. */
  @IsListOf(() => NoiseEdit, 20000) noises: NoiseEdit[] = [];
  /** Holds what was pasted from elsewhere: it is not one of the takes that are picked from. */
  @IsBoolean() borrowed: boolean = false;
  /** Null: as Essim reads it. */
  @IsOptional() @ValidateNested() @Type(() => Corrections) corrections: Corrections | null = null;
}

export const NOISE_KINDS = ['sibilant', 'plosive', 'breath', 'click'] as const;
export type NoiseSort = (typeof NOISE_KINDS)[number];
/** One unpitched sound turned up or down, source s. */
export class NoiseEdit extends SpanRecord {
  @IsNumber() @Min(-96) @Max(12) db!: number;
}
/** All unpitched sounds of a kind turned up or down beside their voice, and on a stack those that coincide with its lead's. */
export class NoiseRule {
  @IsIn(NOISE_KINDS) kind!: NoiseSort;
  @IsNumber() @Min(-96) @Max(12) db: number = 0;
  @IsNumber() @Min(-96) @Max(0) together: number = 0;
}
/** What is cleaned of a track. */
export class CleanRule {
  /** How much quieter it is where nobody sings, dB. */
  @IsNumber() @Min(-96) @Max(0) gapsDb: number = 0;
  /** Mouth clicks are taken out. */
  @IsBoolean() clicks: boolean = false;
}

/**
 * One stretch of a comp: from `at` on, until the next segment begins, the track is this take. Segments therefore always cover the
 * whole song; what a take does not reach is silence.
 */
export class Segment {
  /** Where it begins, song s; the first begins at 0. */
  @IsTime() at!: number;
  @IsString() takeId!: string;
  /** Song time minus source time; absent: the take's own offset. Set for a word borrowed from elsewhere. */
  @IsOptional() @IsNumber() @Min(-LONGEST_SECONDS) @Max(LONGEST_SECONDS) shiftSeconds?: number;
  /** Length of the crossfade with the segment before, about `at`; ms. */
  @IsNumber() @Min(0) @Max(500) fadeMs: number = 12;
  @IsOptional() @IsNumber() @Min(-24) @Max(24) levelDb?: number;
}

/** Something said about a phrase. */
export class Remark {
  @IsId() id!: string;
  @IsString() @Length(1, 2000) text!: string;
  @IsIn(['client', 'editor']) from!: 'client' | 'editor';
  /** As typed in; may be empty. */
  @IsString() @Length(0, 100) author: string = '';
  /** The moment meant, song s. */
  @IsOptional() @IsTime() seconds?: number;
  @IsOptional() @IsBoolean() done?: boolean;
}

/** A phrase whose borders, name, status or remarks the user has touched; song time. */
export class PhraseMark extends SpanRecord {
  @IsId() id!: string;
  /** Empty: its words are its name. */
  @IsString() @Length(0, 200) name: string = '';
  @IsBoolean() checked: boolean = false;
  @IsListOf(() => Remark, 1000) remarks: Remark[] = [];
}

/** A pair of moments said by hand to belong together: follower as sung and lead, song s. */
export class TieMark {
  @IsTime() follower!: number;
  @IsTime() lead!: number;
  /** Met exactly whatever the closeness. */
  @IsOptional() @IsBoolean() locked?: boolean;
}

/** A word moved by hand: follower time as sung, and where it is heard, song s. */
export class MovedWord {
  @IsTime() at!: number;
  @IsTime() to!: number;
}

/**
 * What aligning found; kept beside the document by its hash, so that the same song sounds the same whatever later versions would find
 * and no step carries it.
 */
export class FoundAlignment {
  /** What it was found in: recordings, comps and ties of both tracks. */
  @IsString() @Length(1, 20000) stamp!: string;
  /** Follower time and lead time by turns, both rising; song s. */
  @IsArray() @ArrayMaxSize(400000) @IsNumber({}, { each: true }) points!: number[];
  @IsListOf(() => SpanRecord, 20000) apart: SpanRecord[] = [];
  @IsListOf(() => SpanRecord, 20000) rests: SpanRecord[] = [];
  @IsNumber() @Min(0) @Max(1) confidence!: number;
}

/** How a track follows its stack lead. */
export class AlignRule {
  /** 0-100: how near its timing comes. */
  @IsShare() closeness: number = 100;
  /** 0-100: how near its pitch comes. */
  @IsShare() lean: number = 0;
  /** 0-100: how near its phrasing of loudness comes. */
  @IsShare() levelLean: number = 0;
  /** Most that a word is bent. */
  @IsNumber() @Min(1) @Max(2.5) bending: number = 1.6;
  /** Differences in time and pitch given to it, as to a part, where it comes too near its lead. */
  @IsShare(200) scatterTime: number = 0;
  @IsShare(200) scatterPitch: number = 0;
  @IsInt() @Min(1) @Max(1e9) seed: number = 1;
  @IsListOf(() => TieMark, 5000) ties: TieMark[] = [];
  @IsListOf(() => MovedWord, 5000) moved: MovedWord[] = [];
  /** Stretches left as they were sung, song s as sung. */
  @IsListOf(() => SpanRecord, 5000) asSung: SpanRecord[] = [];
}

/** What says the pitches of a part: so many steps of the key or semitones from its lead, the song's chords, or its own guide. */
export const PART_WAYS = ['steps', 'semitones', 'chords', 'guide'] as const;

/** How a part is made from another track, itself a part or not. Its takes are that track's. */
export class PartRule {
  @IsId() fromId!: string;
  @IsIn(PART_WAYS) by!: (typeof PART_WAYS)[number];
  @IsInt() @Min(-24) @Max(24) amount: number = 0;
  /** By chords: its compass, MIDI. */
  @IsOptional() @IsMidi() low?: number;
  @IsOptional() @IsMidi() high?: number;
  /** By chords: the parts of one lead that are led together have this in common. */
  @IsOptional() @IsId() choir?: string;
  /** By chords: 0 is the best way there is, any other number another one. */
  @IsInt() @Min(0) @Max(1e9) way: number = 0;
  /** What it keeps of its lead's unsteadiness and vibrato. */
  @IsShare(200) wander: number = 100;
  @IsShare(200) vibrato: number = 100;
  /** How far it steps back behind its lead: softer consonants, evener level, a little darker. */
  @IsShare() blend: number = 0;
  /** Where it sings, song s; null: everywhere. */
  @IsOptional() @IsListOf(() => SpanRecord, 1000) spans: SpanRecord[] | null = null;
  /** Differences in time and pitch, 0-200; 100 is what two good singers differ by. */
  @IsShare(200) scatterTime: number = 0;
  @IsShare(200) scatterPitch: number = 0;
  @IsInt() @Min(1) @Max(1e9) seed: number = 1;
  /** Semitones. */
  @IsNumber() @Min(-12) @Max(12) formant: number = 0;
}

/** A stretch of a track that is tuned without notes, song s as sung. */
export class WholeTakeRecord extends SpanRecord {
  /** Time constant with which the voice reaches its steps, ms. */
  @IsNumber() @Min(0) @Max(600) settleMs: number = 60;
  @IsShare() aim: number = 100;
  /** Length of the way from one step to the next, ms; null: as quick as it settles. */
  @IsOptional() @IsNumber() @Min(0) @Max(1000) glideMs: number | null = null;
  /** Vibrato kept. */
  @IsShare(200) vibrato: number = 100;
  /** How far and how long the voice may stray before it counts as on another step. */
  @IsNumber() @Min(0) @Max(100) slackCents: number = 20;
  @IsNumber() @Min(0) @Max(1000) slackMs: number = 80;
  /** What it is drawn to: the tuning's steps, or its melody guide. */
  @IsIn(['key', 'guide']) to: 'key' | 'guide' = 'key';
}

export const TIME_HOLDS = ['set', 'stitch', 'pace', 'gap'] as const;
/**
 * A moment of a track, song s as sung, and by how much later it is heard than it would be by what the track follows. Between two of them
 * time runs evenly; before the first and after the last as if nothing was done.
 */
export class TimeAnchor {
  @IsTime() at!: number;
  @IsNumber() @Min(-600) @Max(600) by!: number;
  /**
   * What was put there by hand: the end or the onset of a note that was set; a stitch, which stays when what lies about it gives way; from
   * a pace to the next anchor the speed stays; from a gap to the next anchor it is silent. What holds nothing gave way.
   */
  @IsOptional() @IsIn(TIME_HOLDS) holds?: (typeof TIME_HOLDS)[number];
}

/** A stretch said to keep its length or to give, whatever is read there, song s as sung. */
export class GiveSpan extends SpanRecord {
  @IsBoolean() gives!: boolean;
}

/** A note of a melody guide, song s. */
export class GuideNoteRecord extends SpanRecord {
  @IsMidi() midi!: number;
}

/** The melody a track is meant to sing. */
export class Guide {
  @IsString() @Length(1, 200) name!: string;
  @IsListOf(() => GuideNoteRecord, 20000) notes: GuideNoteRecord[] = [];
  /** By how much its notes are heard later than they are written, s. */
  @IsNumber() @Min(-LONGEST_SECONDS) @Max(LONGEST_SECONDS) offsetSeconds: number = 0;
  /** Whether its notes are meant in the octave that is sung. */
  @IsBoolean() fold: boolean = false;
}

/** An edit that is kept aside, of a take. */
export class KeptEdit extends NoteEdit {
  @IsId() takeId!: string;
}

/** One of several tunings of a stretch, song s as sung. That which is heard lies in the takes; of the others their edits are kept. */
export class Alternative extends SpanRecord {
  @IsId() id!: string;
  @IsString() @Length(1, 60) name!: string;
  /** Heard now; of a stretch one is. */
  @IsBoolean() heard: boolean = false;
  @IsListOf(() => KeptEdit, 20000) edits: KeptEdit[] = [];
}

/** A guide of some notes. */
export const guideFrom = (name: string, notes: readonly { start: number; end: number; midi: number }[]): Guide =>
  Object.assign(new Guide(), {
    name,
    notes: notes.map(({ start, end, midi }) => Object.assign(new GuideNoteRecord(), { start, end, midi })),
  });

export class Track {
  @IsId() id!: string;
  @IsString() @Length(1, 200) name!: string;
  @IsIn(ROLES) role!: Role;
  @IsNumber() @Min(-96) @Max(24) levelDb: number = 0;
  @IsNumber() @Min(-1) @Max(1) pan: number = 0;
  @IsBoolean() mute: boolean = false;
  @IsBoolean() solo: boolean = false;
  @IsListOf(() => Take, 500) takes: Take[] = [];
  /** The comp: which take is heard from when on, in time order. Empty only while there are no takes. */
  @IsListOf(() => Segment, 20000) segments: Segment[] = [];
  /** Chosen by hand; null: the role's. */
  @IsOptional() @IsIn(COLOURS) colour: Colour | null = null;
  /** The stack lead this track follows. */
  @IsOptional() @IsId() followsId: string | null = null;
  /** How it follows; null until something was said about it. */
  @IsOptional() @ValidateNested() @Type(() => AlignRule) align: AlignRule | null = null;
  /** What aligning it found; null until it was aligned. */
  @IsOptional() @ValidateNested() @Type(() => FoundAlignment) found: FoundAlignment | null = null;
  /** What makes it a part; null: it was sung. */
  @IsOptional() @ValidateNested() @Type(() => PartRule) part: PartRule | null = null;
  /** Where it is tuned without notes, in order. */
  @IsListOf(() => WholeTakeRecord, 1000) whole: WholeTakeRecord[] = [];
  /** The melody it is meant to sing; null: none is known. */
  @IsOptional() @ValidateNested() @Type(() => Guide) guide: Guide | null = null;
  /** Where it was moved and stretched by hand, in order. */
  @IsListOf(() => TimeAnchor, 50000) time: TimeAnchor[] = [];
  /** Unpitched sounds, by their kind. */
  @IsListOf(() => NoiseRule, 4) noises: NoiseRule[] = [];
  @IsOptional() @ValidateNested() @Type(() => CleanRule) clean: CleanRule | null = null;
  /** Stretches said to keep their length, or to give. */
  @IsListOf(() => GiveSpan, 5000) gives: GiveSpan[] = [];
  /** Stretches of which other tunings are kept. */
  @IsListOf(() => Alternative, 2000) alternatives: Alternative[] = [];
  /** Phrases once the user has touched them; null: as found in the takes. */
  @IsOptional() @IsListOf(() => PhraseMark, 10000) phrases: PhraseMark[] | null = null;
  /** The track whose sound it was made of, as it was then; it is there, muted. */
  @IsOptional() @IsId() bouncedFromId: string | null = null;
}

export class SongKey {
  @IsInt() @Min(0) @Max(11) tonic!: number;
  @IsIn(['major', 'minor']) mode!: 'major' | 'minor';
}

/** What holds for one step of the tuning; steps nothing is said about are allowed. */
export class StepRuleRecord {
  @IsInt() @Min(0) @Max(1023) step!: number;
  @IsOptional() @IsInt() @Min(-2) @Max(12) octave?: number;
  @IsIn(['off', 'left', 'to']) rule!: 'off' | 'left' | 'to';
  @IsOptional() @IsInt() @Min(0) @Max(1023) to?: number;
}

/** Steps that rise from 0 and stay under the period. */
const AreSteps = (): PropertyDecorator => (target, name) =>
  registerDecorator({
    name: 'areSteps',
    target: target.constructor,
    propertyName: String(name),
    validator: {
      validate: (value, args) => {
        const { period } = args!.object as TuningRecord;
        return (
          Array.isArray(value) &&
          value.length > 0 &&
          value.length <= 1024 &&
          value[0] === 0 &&
          value.every((v: unknown, i) => typeof v === 'number' && v < period && (!i || v > value[i - 1]))
        );
      },
      defaultMessage: () => '$property must rise from 0 and stay under the period',
    },
  });
/** Rules that name steps there are. */
const AreRulesOfSteps = (): PropertyDecorator => (target, name) =>
  registerDecorator({
    name: 'areRulesOfSteps',
    target: target.constructor,
    propertyName: String(name),
    validator: {
      validate: (value, args) => {
        const { steps } = args!.object as TuningRecord;
        const is = (step: unknown) => typeof step === 'number' && step < (Array.isArray(steps) ? steps.length : 0);
        return (
          Array.isArray(value) &&
          value.every(
            (r: StepRuleRecord | null) => !!r && is(r.step) && (r.rule === 'to' ? is(r.to) : r.to === undefined),
          )
        );
      },
      defaultMessage: () => '$property must name steps of the tuning',
    },
  });

/** The steps of a song where they are others than those of a major or minor key in twelve equal semitones. */
export class TuningRecord {
  @IsString() @Length(1, 100) name!: string;
  /** Cents above the tonic, 0 first. */
  @AreSteps() steps!: number[];
  /** After which the steps begin again, cents. */
  @IsNumber() @Min(100) @Max(4800) period: number = 1200;
  /** Cents of step 0 from MIDI 0, where a keyboard map says so; null: on the tonic. */
  @IsOptional() @IsNumber() @Min(-12800) @Max(25600) root: number | null = null;
  @AreRulesOfSteps() @IsListOf(() => StepRuleRecord, 4096) rules: StepRuleRecord[] = [];
}

/** Another tempo from a beat on. */
export class TempoChange {
  /** Beats from the start of bar 1; may be a fraction. */
  @IsNumber() @Min(0) @Max(1e6) beat!: number;
  @IsNumber() @Min(20) @Max(400) bpm!: number;
}

/** Another metre from a bar on. */
export class MetreChange {
  @IsInt() @Min(2) @Max(1e6) bar!: number;
  @IsInt() @Min(1) @Max(32) beatsPerBar!: number;
}

export class Tempo {
  @IsNumber() @Min(20) @Max(400) bpm!: number;
  @IsInt() @Min(1) @Max(32) beatsPerBar!: number;
  /** What one beat is: 4 = a quarter, 8 = an eighth. */
  @IsIn([2, 4, 8, 16]) beatUnit: number = 4;
  /** Where bar 1 begins, s. */
  @IsNumber() @Min(-LONGEST_SECONDS) @Max(LONGEST_SECONDS) firstBarSeconds!: number;
  @IsListOf(() => TempoChange, 20000) changes: TempoChange[] = [];
  @IsListOf(() => MetreChange, 20000) metres: MetreChange[] = [];
}

/** Another key from a bar on. */
export class KeyChange {
  @IsInt() @Min(2) @Max(1e6) bar!: number;
  @IsInt() @Min(0) @Max(11) tonic!: number;
  @IsIn(['major', 'minor']) mode!: 'major' | 'minor';
}

export class Chord {
  @IsTime() start!: number;
  @IsString() @Length(1, 20) name!: string;
}

/** A selection kept by name: places rather than notes, so that it outlives another reading. Song time. */
export class KeptSelection {
  @IsId() id!: string;
  @IsString() @Length(1, 100) name!: string;
  @IsId() trackId!: string;
  /** Where its notes lie, in time order; or the one stretch it is. */
  @IsListOf(() => SpanRecord, 20000) places: SpanRecord[] = [];
  /** Whether it is a stretch, whatever notes it cuts through. */
  @IsBoolean() stretch: boolean = false;
}

/** A starting point of the user's own: what faders are set to, named. */
export class OwnStart {
  @IsId() id!: string;
  @IsString() @Length(1, 60) name!: string;
  @IsShare() aim!: number;
  @IsShare() wander!: number;
  @IsShare(200) vibrato!: number;
  @IsShare() scoop!: number;
  @IsShare() fall!: number;
}

/** The song as it was at a moment, kept by name; nothing of it is looked at until it is gone back to. */
export class Version {
  @IsId() id!: string;
  @IsString() @Length(1, 100) name!: string;
  /** When it was kept, ms since 1970; 0: nobody knows. */
  @IsNumber() @Min(0) @Max(1e14) madeAt: number = 0;
  /** The document it was, without its own versions. */
  @IsObject() song!: Record<string, unknown>;
}

/** A song: a small document of edits over recordings that never change. Treated as immutable; steps make new ones. */
export class Song {
  @IsInt() version: number = DOCUMENT_VERSION;
  @IsId() id!: string;
  @IsString() @Length(1, 200) name!: string;
  @IsInt() @Min(8000) @Max(192000) sampleRate!: number;
  /** Chosen by hand; null: the lead's estimate is used. */
  @IsOptional() @ValidateNested() @Type(() => SongKey) key: SongKey | null = null;
  @IsListOf(() => KeyChange, 5000) keyChanges: KeyChange[] = [];
  /** Null: the key's seven steps of twelve. */
  @IsOptional() @ValidateNested() @Type(() => TuningRecord) tuning: TuningRecord | null = null;
  @IsNumber() @Min(400) @Max(480) referenceHz: number = 440;
  @IsOptional() @ValidateNested() @Type(() => Tempo) tempo: Tempo | null = null;
  @IsListOf(() => Chord, 20000) chords: Chord[] = [];
  @IsListOf(() => Track, 1000) tracks: Track[] = [];
  @IsListOf(() => KeptSelection, 1000) kept: KeptSelection[] = [];
  @IsListOf(() => OwnStart, 100) starts: OwnStart[] = [];
  /** Level of all that sounds together. */
  @IsNumber() @Min(-96) @Max(24) masterDb: number = 0;
  @IsListOf(() => Version, 200) versions: Version[] = [];
}

/** The take most of a track is made of; what the track reads like while its comp is not looked at closely. */
export function mainTake(track: Track): Take | undefined {
  const first = track.segments[0];
  return track.takes.find(t => t.id === first?.takeId) ?? track.takes[0];
}

/** The takes of a track that can be picked from. */
export const pickedFrom = ({ takes }: Pick<Track, 'takes'>): Take[] => takes.filter(t => !t.borrowed);

/** Whether a track following another would close a circle. */
export function circles(song: Pick<Song, 'tracks'>, trackId: string, followsId: string): boolean {
  const seen = new Set([trackId]);
  for (let at: string | null | undefined = followsId; at; at = song.tracks.find(t => t.id === at)?.followsId) {
    if (seen.has(at)) return true;
    seen.add(at);
  }
  return false;
}

/** A vocal is read and edited; a backing is only heard. */
export const isVocal = (track: Pick<Track, 'role'>): boolean => track.role !== 'backing';

/** The first lead, or the first vocal. */
export const leadOf = (song: Pick<Song, 'tracks'>): Track | undefined =>
  song.tracks.find(t => t.role === 'lead') ?? song.tracks.find(isVocal);
