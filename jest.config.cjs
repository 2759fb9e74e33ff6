/** Unit tests: core, demo, cli and server in Node; app modules that need no page. */
module.exports = {
  maxWorkers: '100%',
  // a busy machine is no failure
  testTimeout: 30000,
  // a global is looked up in the sandbox each time it is named, which makes Math a hundred times slower; as a parameter it is at hand
  sandboxInjectedGlobals: [
    'Math',
    'Number',
    'Array',
    'Float32Array',
    'Float64Array',
    'Int32Array',
    'Int16Array',
    'Uint8Array',
    'Object',
    'Map',
    'Set',
    'Atomics',
  ],
  testEnvironmentOptions: { globalsCleanup: 'off' },
  setupFiles: ['<rootDir>/app/src/testing-page.cjs'],
  testMatch: ['<rootDir>/{core,demo,cli,server,app,bench}/**/*.test.ts'],
  transform: {
    '^.+\\.tsx?$': [
      '@swc/jest',
      {
        jsc: {
          parser: { syntax: 'typescript', tsx: true, decorators: true },
          transform: {
            legacyDecorator: true,
            decoratorMetadata: true,
            useDefineForClassFields: false,
            react: { runtime: 'automatic' },
          },
          target: 'es2022',
        },
      },
    ],
  },
  moduleNameMapper: {
    '^comlink$': '<rootDir>/app/src/testing-workers.ts',
    '^@essim/core$': '<rootDir>/core/src/index.ts',
    '^@essim/demo$': '<rootDir>/demo/src/index.ts',
    '\\?worker&url$': '<rootDir>/app/src/testing-worker.cjs',
    // in Node the codec finds its machine code by itself
    '/flac-code$': '<rootDir>/app/src/testing-worker.cjs',
  },
  modulePathIgnorePatterns: ['<rootDir>/app/dist'],
};
