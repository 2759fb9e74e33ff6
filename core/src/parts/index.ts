export * from './part';
export * from './name';
