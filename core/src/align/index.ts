export * from './align';
export * from './follow';
export { alignFeatures, type AlignFeatures } from './features';
export { featuresAlike } from './tract';
