/** End-to-end journeys: the real interface driven in headless Chromium. */
const base = require('../jest.config.cjs');
module.exports = {
  ...base,
  rootDir: '..',
  testMatch: ['<rootDir>/e2e/**/*.e2e.ts'],
  testTimeout: 180000,
  maxWorkers: 1,
  globalSetup: '<rootDir>/e2e/setup.cjs',
  globalTeardown: '<rootDir>/e2e/teardown.cjs',
};
