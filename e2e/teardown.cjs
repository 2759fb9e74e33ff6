const { rmSync } = require('node:fs');

module.exports = () => {
  if (globalThis.essimKeptProfile) rmSync(globalThis.essimKeptProfile, { recursive: true, force: true });
};
