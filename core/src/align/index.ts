export * from './align';
export { alignFeatures, type AlignFeatures } from './features';
