export * from './units';
export * from './signal/fft';
export * from './signal/random';
export * from './signal/statistics';
export * from './files/wav';
export * from './read';
export * from './voice';
