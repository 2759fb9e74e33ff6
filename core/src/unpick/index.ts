export { evidenceOf, HOP as EVIDENCE_HOP, PER_SEMITONE, PITCHES, pitchOf, type Evidence } from './evidence';
export { unpick, unpickedNotes, type UnpickedNote, type UnpickOptions } from './unpick';
