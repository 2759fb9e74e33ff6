export { evidenceOf, HOP as EVIDENCE_HOP, PER_SEMITONE, PITCHES, pitchOf, type Evidence } from './evidence';
export * as unpickedByHand from './by-hand';
export {
  unpick,
  unpickedCandidates,
  unpickedNotes,
  type Candidate,
  type UnpickedNote,
  type UnpickOptions,
} from './unpick';
