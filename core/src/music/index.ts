export * from './pitch';
export * from './tuning';
export * from './metre';
