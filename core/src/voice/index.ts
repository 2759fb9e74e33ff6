export {
  analyseVoice,
  layOut,
  neutralPlan,
  renderAll,
  renderSpan,
  VOICE_VERSION,
  type Layout,
  type VoiceAnalysis,
} from './engine';
export { findSegments, type PitchedSegment } from './epochs';
export type { Mask, Pulse, VoicePlan } from './pulses';
