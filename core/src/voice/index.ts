export { LayerShelf } from './layer-shelf';
export { analyseVoice, VoiceAnalysis, voiceFromSnapshot, type VoiceSnapshot, type VoiceSource } from './analysis';
export { changedSpans, editedSpans, type SampleSpan } from './change';
export { layOut, renderAll, renderSpan, VOICE_VERSION, type Layout } from './engine';
export { findSegments, type PitchedSegment } from './epochs';
export { neutralPlan, type ToneCurve, type VoicePlan } from './plan';
export { VoiceStream, type LiveSetting } from './stream';
export { landing } from './pulses';
