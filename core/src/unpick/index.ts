export { HOP as EVIDENCE_HOP, PER_SEMITONE, PITCHES, pitchOf } from './evidence';
export { evidenceOf, type Evidence } from './keyboard';
export * as unpickedByHand from './by-hand';
export {
  unpick,
  unpickedCandidates,
  unpickedNotes,
  type Candidate,
  type UnpickedNote,
  type UnpickOptions,
} from './unpick';
