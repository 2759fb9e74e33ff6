export * from './pitch';
export * from './tuning';
export * from './scales';
export * from './chord';
export * from './metre';
