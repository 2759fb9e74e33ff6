export * from './same-performance';
export * from './scores';
export * from './steps';
export * from './likeness';
export { COLOUR_EVERY, colourFrames, heldBands, louderBy, meanColour, type ColourFrames } from './colour';
export { frameLoudness, framePeaks, kWeight, meanLevel, meanLoudness } from './loudness';
export { findClicks, interpolate, type Click } from './clicks';
export { programmeOf, TruePeak, type Programme } from './programme';
