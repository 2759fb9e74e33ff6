declare module 'signalsmith-stretch';
