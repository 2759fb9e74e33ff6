export { alternativesOf } from './alternatives';
export { ArgumentError, checkedArguments, type Argument, type Value, type Values } from './arguments';
export { boundsOf, describedIntents, INTENTS, intentNamed, type IntentDescription } from './catalogue';
export { asDataUrl } from './data-url';
export { editOf, movableNotes, withEdits, type NoteChange } from './edit-notes';
export {
  meantSyllables,
  notesOf,
  Refused,
  touchedNotes,
  type Acted,
  type ActsOn,
  type Intent,
  type Stage,
  type Target,
  type TargetNote,
} from './intent';
export { freeName, newPart } from './parts';
export { tuningInForce, tuningNamed } from './tuning';
export { followRecipe, readRecipe, RecipeError, targetFor, type Kitchen, type Recipe, type RecipeStep } from './recipe';
export { settle } from './settle';
export { wholeAt } from './whole-take';
export { following, SAME_WORD, withAsSung, withTie } from './stack';
export { FADERS, faderArgument, LONGEST_GLIDE, type Fader, type Snap } from './tune';
export { broughtBy, GRID_NAMES, gridOf, nearestOnset, type Brought } from './time';
