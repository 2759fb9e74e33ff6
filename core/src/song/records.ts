import {
  AlignRule,
  Alternative,
  Chord,
  CleanRule,
  Corrections,
  GiveSpan,
  Guide,
  GuideNoteRecord,
  HeardStretch,
  KeptEdit,
  KeptSelection,
  KeyChange,
  MetreChange,
  MovedWord,
  NoiseEdit,
  NoiseRule,
  OwnStart,
  PartRule,
  PhraseMark,
  Remark,
  Segment,
  Song,
  SpanRecord,
  StretchOfKind,
  StretchOfNotes,
  Take,
  Tempo,
  TempoChange,
  TieMark,
  TimeAnchor,
  Track,
  TuningRecord,
  Version,
  WholeTakeRecord,
  Word,
} from './document';

type Type = new () => object;

/**
 * How the records of a song hang together, said once: steps compare, apply and check by this table. A field it does not name is a value
 * that changes as a whole.
 */
export interface RecordShape {
  type: Type;
  /** Lists of records that have ids, in an order. */
  records?: Record<string, RecordShape>;
  /** Lists of things without ids. */
  items?: Record<string, Type | null>;
  /** A single record, or null. */
  single?: Record<string, RecordShape>;
  /** Edits by their ids. */
  edits?: string;
}

const CORRECTIONS: RecordShape = {
  type: Corrections,
  items: { heard: HeardStretch, regions: StretchOfNotes, kinds: StretchOfKind, looked: null },
};
const TAKE: RecordShape = {
  type: Take,
  edits: 'edits',
  items: { words: Word, noises: NoiseEdit },
  single: { corrections: CORRECTIONS },
};
const ALIGN: RecordShape = { type: AlignRule, items: { ties: TieMark, moved: MovedWord, asSung: SpanRecord } };
const PART: RecordShape = { type: PartRule };
const GUIDE: RecordShape = { type: Guide, items: { notes: GuideNoteRecord } };
const PHRASE: RecordShape = { type: PhraseMark, records: { remarks: { type: Remark } } };
const TRACK: RecordShape = {
  type: Track,
  records: { takes: TAKE, phrases: PHRASE, alternatives: { type: Alternative, items: { edits: KeptEdit } } },
  items: { segments: Segment, whole: WholeTakeRecord, time: TimeAnchor, gives: GiveSpan, noises: NoiseRule },
  single: { align: ALIGN, part: PART, guide: GUIDE, clean: { type: CleanRule } },
};
const TEMPO: RecordShape = { type: Tempo, items: { changes: TempoChange, metres: MetreChange } };
export const SONG_SHAPE: RecordShape = {
  type: Song,
  records: { tracks: TRACK, kept: { type: KeptSelection }, starts: { type: OwnStart }, versions: { type: Version } },
  items: { keyChanges: KeyChange, chords: Chord },
  single: { tempo: TEMPO, tuning: { type: TuningRecord } },
};
