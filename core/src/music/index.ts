export * from './pitch';
export * from './tuning';
