/** The borders of docs/architecture.md, checked in every test run. */
module.exports = {
  forbidden: [
    {
      name: 'no-circles',
      severity: 'error',
      from: {},
      to: { circular: true, viaOnly: { dependencyTypesNot: ['type-only'] } },
    },
    {
      name: 'core-knows-no-one',
      severity: 'error',
      from: { path: '^core/src', pathNot: '\\.test\\.ts$' },
      to: { path: '^(app|server|cli|demo|e2e|bench)/' },
    },
    {
      name: 'core-knows-no-platform',
      severity: 'error',
      from: { path: '^core/src', pathNot: '\\.test\\.ts$' },
      to: { dependencyTypes: ['core'] },
    },
    {
      name: 'core-knows-no-interface',
      severity: 'error',
      from: { path: '^core/src' },
      to: { path: 'node_modules/(react|react-dom|dexie|express|konva|zustand)/' },
    },
    {
      name: 'demo-stands-on-core',
      severity: 'error',
      from: { path: '^demo/src' },
      to: { path: '^(app|server|cli|e2e|bench)/' },
    },
    {
      name: 'desks-do-not-meet',
      severity: 'error',
      from: { path: '^app/src/desks/([^/]+)/' },
      to: { path: '^app/src/desks/([^/]+)/', pathNot: '^app/src/desks/$1/' },
    },
    {
      name: 'nothing-under-the-desks-knows-them',
      severity: 'error',
      from: {
        path: '^app/src/(commands|exchange|field|jobs|keeping|open-song|player|recording)/',
        pathNot: '\\.test\\.ts$',
      },
      to: { path: '^app/src/desks/' },
    },
    {
      name: 'app-stays-in-the-browser',
      severity: 'error',
      // the simulated microphone ships, and the demo's singer sings into it, in a worker of its own
      from: { path: '^app/src', pathNot: '(\\.test\\.ts|/simulated-singer\\.worker\\.ts)$' },
      to: { path: '^(server|cli|e2e|bench|demo)/' },
    },
    {
      name: 'only-shipped-packages',
      severity: 'error',
      from: { path: '^(core|app|server|cli)/src', pathNot: '(\\.test\\.tsx?|/testing[^/]*)$' },
      to: { dependencyTypes: ['npm-dev', 'npm-no-pkg'] },
    },
  ],
  options: {
    doNotFollow: { path: 'node_modules' },
    exclude: { path: '(dist|\\.cache)/' },
    tsPreCompilationDeps: true,
    tsConfig: { fileName: 'tsconfig.json' },
    combinedDependencies: true,
    enhancedResolveOptions: { exportsFields: ['exports'], conditionNames: ['import', 'require', 'node', 'default'] },
  },
};
