export { HINT_KINDS, hintName, hintsOf, type Hint, type HintKind } from './hints';
export { countingEdits, sourceOfPart } from './counting';
export { ledWith, otherNotes } from './choir';
export { choirOf } from './part-pitches';
export {
  heardMap,
  heardStretches,
  meetingsOf,
  meetingsWithLead,
  Place,
  placedClips,
  stackLeadOf,
  sungStretch,
  usualAlign,
  type PlacedClip,
} from './place';
export { heardTake } from './heard-take';
export { pitchedFrames, soundOfNote, sungTones, type SungTone } from './sung-tones';
export { coincides, gapsOf, noiseLevels, noisesOf, usualBeside, type Noise } from './noises';
export { clickGains, clicksOf, withoutClicks, type ClickGain } from './clicks';
export { compSound } from './comp-sound';
export { takeSound, type TakeSound } from './take-sound';
export { NoRoom, Timing, timingOf, type TimedNote } from './timing';
export { pitchNow } from './pitch-now';
export { Listener, type ReadFrom, type Recordings, type RenderedTrack } from './listener';
export { Score } from './score';
export { stepsMeant, type StepsMeant } from './steps';
export { shownSong, type ShownHint, type ShownNote, type ShownSong, type ShownTrack } from './shown';
export {
  leans,
  planSurroundings,
  surroundingsOf,
  wholeInTake,
  wholeSpans,
  type TakeSurroundings,
} from './surroundings';
export {
  emptyTrackView,
  isUnread,
  countedSyllables,
  syllablesOfTake,
  trackView,
  unreadTake,
  type ReadingStatus,
  type TakeView,
  type TakeViews,
  type TrackNote,
  type TrackSyllable,
  type TrackView,
} from './track-view';
export {
  keyAt,
  keyOf,
  keySpans,
  rankedKeysOf,
  referenceCents,
  scaleAtOf,
  scaleIn,
  scaleSpans,
  stepMeant,
  type KeyInForce,
} from './tuning';
export { claimed, foldedTo, guideNotes, guideOf, offsetFor, type PlacedGuideNote } from './guide';
export { pitchLineCsv, practiceLevel, writtenSong } from './written';
export {
  besideIn,
  counterpartsOf,
  stackReport,
  stackReportCsv,
  type Counterparts,
  type SyllableReport,
} from './counterpart';
export { editReport, editReportCsv, type EditReport, type PhraseReport } from './edit-report';
export { editReportHtml } from './edit-report-page';
