export { splitNotes, type NoteMovement, type Transition } from './movement';
export { AS_SUNG, editedLine, type NoteShape } from './line';
export { joinsOf, planShapes, planTake, shapeOf, TakePlanner, type Surroundings, type TakePlan } from './plan';
export { splitTake, type SplitTake } from './split';
export { planWholeTake, followSteps, USUAL_SLACK, type Slack, type WholeTakeOptions } from './whole-take';
export { noteFacts, noteKey, type NoteFacts, type SungVibrato } from './note-facts';
export { addVibrato, type AddedVibrato, type VibratoTurn } from './vibrato';
export { leadAt } from './lean-to';
export type { FrameSpan } from './movement';
