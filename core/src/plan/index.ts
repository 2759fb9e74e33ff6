export { splitNotes, type NoteMovement, type Transition } from './movement';
export { AS_SUNG, editedLine, type Wish } from './line';
export {
  editsInOrder,
  joinsOf,
  moveNotes,
  planTake,
  planWishes,
  wishOf,
  type Movements,
  type TakeBearing,
  type TakePlan,
} from './plan';
export { planWholeTake, followSteps, USUAL_SLACK, type Slack, type WholeTakeOptions } from './whole-take';
export { noteFacts, settle, type NoteFacts } from './settle';
export { addVibrato, type AddedVibrato, type VibratoTurn } from './vibrato';
export { leadAt } from './lean-to';
