export * from './document';
export * from './commands';
export * from './history';
export * from './timemap';
export * from './phrases';
export * from './selection';
