export * from './reading';
export { mixDown, readTake } from './read';
export { rankKeys, tuningOf } from './key';
export { midline, medianOf5 } from './midline';
export { runsOf } from './refine';
export * from './correct';
export * from './hearings';
export { findSpoken } from './spoken';
export { toneOf } from './tone';
