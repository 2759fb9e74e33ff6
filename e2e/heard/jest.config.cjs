/** Journeys that listen while it plays: one at a time, for what is heard should not depend on what else the machine does. */
const sideBySide = require('../jest.config.cjs');
module.exports = { ...sideBySide, rootDir: '../..', testMatch: ['<rootDir>/e2e/heard/*.e2e.ts'], maxWorkers: 1 };
