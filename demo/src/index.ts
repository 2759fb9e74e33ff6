export {
  perform,
  type Performance,
  type PerformanceOptions,
  type Truth,
  type TruthNote,
  type TruthNoise,
  type TruthWord,
} from './singer/perform';
export { smallRoom, hall } from './singer/room';
export { SAMPLE_RATE } from './singer/tract';
export { VOICES, type Voice } from './singer/phonemes';
export type { Syllable } from './singer/score';
export {
  BAR,
  BEAT,
  BPM,
  CHORDS,
  DURATION,
  KEY,
  PHRASES,
  songScore,
  VOCALS,
  type ScoreOptions,
  type VocalPlan,
} from './song/ferry-lamp';
export { backing, heldChords } from './song/backing';
export { singChord, type SungChord } from './song/chord';
export { singVocal } from './song/sing';
export { singPhrases } from './testing';
export { madeUpSong, type MadeUpSong } from './song/made-up';
