export * from './voice-leading';
export * from './part';
export * from './name';
