/** End-to-end journeys: the real interface driven in headless Chromium, side by side. Those that listen in real time are in heard/. */
const base = require('../jest.config.cjs');
module.exports = {
  ...base,
  rootDir: '..',
  testMatch: ['<rootDir>/e2e/*.e2e.ts'],
  testTimeout: 240000,
  maxWorkers: 2,
  globalSetup: '<rootDir>/e2e/setup.cjs',
  globalTeardown: '<rootDir>/e2e/teardown.cjs',
};
