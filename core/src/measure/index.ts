export * from './sameness';
export * from './scores';
export * from './steps';
export * from './likeness';
