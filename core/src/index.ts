export * from './units';
export * from './signal/fft';
export * from './signal/random';
export * from './signal/statistics';
export { resample } from './signal/resample';
export { stretchesFrom, stretchesOf, type Stretches } from './signal/stretches';
export {
  copySamples,
  floatsOf,
  lengthOf,
  packSamples,
  bitsEach,
  sampleAt,
  samplesIn,
  type SampleBits,
  type Samples,
} from './signal/samples';
export { sincAt } from './signal/sinc';
export { playedMelody, struckString } from './signal/struck';
export * from './files/bundle';
export * from './files/bundle-manifest';
export { packFlac, unpackFlac } from './files/flac';
export * from './files/wav';
export * from './read';
export * from './setup';
export * from './measure';
export * from './voice';
export * from './music';
export * from './song';
export * from './plan';
export * from './files/melody';
export { writeMidi, writeSongMidi, type MidiOptions } from './files/midi';
export { writeMusicXml } from './files/musicxml';
export type { WrittenNote, WrittenPart, WrittenSong } from './files/written';
export * from './align';
export * from './parts';
export * from './score';
export * from './intents';
export * from './unpick';
