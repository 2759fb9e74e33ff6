export * from './same-performance';
export * from './scores';
export * from './steps';
export * from './likeness';
export { COLOUR_EVERY, colourFrames, meanColour } from './colour';
export { frameLoudness, framePeaks, meanLevel, meanLoudness } from './loudness';
export { findClicks, interpolate, type Click } from './clicks';
