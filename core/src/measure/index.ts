export * from './same-performance';
export * from './scores';
export * from './steps';
export * from './likeness';
