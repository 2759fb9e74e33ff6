export { splitNotes, type NoteMovement, type Transition } from './movement';
export { AS_SUNG, editedLine, type NoteShape } from './line';
export {
  joinsOf,
  planShapes,
  planTake,
  planWholeTake,
  shapeOf,
  TakePlanner,
  type Surroundings,
  type TakePlan,
} from './plan';
export { splitTake, sungLines, type SplitTake } from './split';
export {
  learnLines,
  followSteps,
  stepRuns,
  USUAL_SLACK,
  type GuideSpan,
  type Settling,
  type Slack,
  type StepRun,
  type WholeSpan,
} from './whole-take';
export { noteFacts, noteKey, type NoteFacts, type SungVibrato } from './note-facts';
export { addVibrato, type AddedVibrato, type VibratoTurn } from './vibrato';
export { leadAt } from './lean-to';
export type { FrameSpan } from './movement';
export { BANDS, colourAdded, fadeAt, levelAt, isToneField, syllableExtents, type GainSpan } from './tone';
