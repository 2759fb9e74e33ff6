export { onsetEnvelope, estimateTempo, type TempoEstimate } from './tempo';
export { chromaOf, type Chroma } from './chroma';
export { estimateChords, type ChordEstimate } from './chords';
export {
  analyseBacking,
  analyseBackings,
  type BackingSound,
  chordsOf,
  estimateKey,
  estimateReference,
  type BackingEstimate,
  type ReferenceEstimate,
} from './setup';
